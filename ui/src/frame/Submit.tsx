/** The button that sends a form; beside fields it is aligned with them, below their labels. */
export function Submit(p: { disabled: boolean; beside?: boolean; minH?: string; children: React.ReactNode }) {
  return (
    <button
      type="submit"
      className="solid"
      style={{ marginTop: p.beside ? "24px" : undefined, minHeight: p.minH }}
      disabled={p.disabled}
    >
      {p.children}
    </button>
  );
}
