/** What sends a form; beside fields it stands as high as they do, below their labels. */
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
