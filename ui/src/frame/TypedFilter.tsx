import { useEffect, useRef, useState } from "react";
import { TextField } from "../account/fields";
import { useSettled } from "./settled";

/** A filter that is typed; it takes effect once the text has stood still. */
export function TypedFilter(p: {
  label: string;
  value: string;
  width?: string;
  maxLength?: number;
  onChange: (value: string) => void;
}) {
  const [text, setText] = useState(p.value);
  const [filter, setFilter] = useState(p.value);
  if (p.value !== filter) {
    setFilter(p.value);
    if (p.value === "") setText(""); // the filter was removed elsewhere on the page
  }
  const settled = useSettled(text.trim());
  const change = useRef(p.onChange);
  useEffect(() => {
    change.current = p.onChange;
  });
  const first = useRef(true);
  useEffect(() => {
    if (!first.current) change.current(settled);
    first.current = false;
  }, [settled]);
  return (
    <TextField
      label={p.label}
      width={p.width ?? "150px"}
      maxLength={p.maxLength ?? 40}
      value={text}
      onChange={setText}
    />
  );
}
