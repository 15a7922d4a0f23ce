/** What holds wherever a system is opened, topped up or worked on. */
export function Cautions({ lines }: { lines: readonly string[] }) {
  return (
    <section className="cautions" aria-label="Cautions">
      <ul>
        {lines.map((l) => (
          <li key={l}>{l}</li>
        ))}
      </ul>
    </section>
  );
}
