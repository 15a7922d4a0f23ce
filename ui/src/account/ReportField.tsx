import { useId, useState } from "react";
import { TextField } from "./fields";

interface Props {
  label: string;
  /** SHA-256 of the report, hexadecimal; empty for none. */
  value: string;
  onChange: (value: string) => void;
  error?: string | undefined;
}

/** A report that stays where it is kept: the entry holds its SHA-256 (FIPS 180-4), by which it is known again. */
export function ReportField(p: Props) {
  const id = useId();
  const [name, setName] = useState("");
  // The browser computes a hash on a secure page alone, or on this machine.
  const subtle = globalThis.crypto.subtle as SubtleCrypto | undefined;
  if (!subtle) {
    return (
      <TextField
        label={`${p.label}: its SHA-256`}
        figures
        width="320px"
        value={p.value}
        onChange={p.onChange}
        error={p.error}
      />
    );
  }
  const choose = async (file: File | undefined) => {
    if (!file) return;
    const hash = new Uint8Array(await subtle.digest("SHA-256", await file.arrayBuffer()));
    setName(file.name);
    p.onChange([...hash].map((b) => b.toString(16).padStart(2, "0")).join(""));
  };
  return (
    <div className="report">
      <label htmlFor={id}>{p.label}</label>
      <input id={id} type="file" onChange={(e) => void choose(e.target.files?.[0])} />
      {p.value && (
        <p className="small faint">
          {name || "report"}, SHA-256 <span className="figures">{p.value.slice(0, 12)}…</span>{" "}
          <button type="button" className="act small" onClick={() => p.onChange("")}>
            remove<span className="hidden-label"> the report</span>
          </button>
        </p>
      )}
      {p.error && <p className="alarm small">{p.error}</p>}
    </div>
  );
}
