import { type ComponentType, useMemo, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { typedText, unitMeant } from "./jump";
import { useKeys } from "./keys";

type Combobox = ComponentType<{ typed: string }>;

async function fetchCombobox(): Promise<Combobox> {
  const [{ withChakra }, { JumpCombobox }] = await Promise.all([import("../chakra"), import("./JumpCombobox")]);
  return withChakra(JumpCombobox).default;
}

/** Jump to a unit by part of its code or name; "/" puts the cursor here. The list is fetched with the first use. */
export function JumpField() {
  const [text, setText] = useState("");
  const [loaded, setLoaded] = useState<{ Combobox: Combobox }>();
  const field = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const keys = useMemo(() => [{ key: "/", does: "jump to a unit", run: () => field.current?.focus() }], []);
  useKeys(keys);
  if (loaded) return <loaded.Combobox typed={text} />;
  return (
    <input
      ref={field}
      className="jump"
      placeholder="jump to unit  /"
      aria-label="Jump to unit"
      value={text}
      onFocus={() => {
        // Without the list the field still jumps.
        fetchCombobox().then(
          (Combobox) => setLoaded({ Combobox }),
          () => undefined,
        );
      }}
      onChange={(e) => setText(typedText(e.target.value))}
      onKeyDown={(e) => {
        const asked = e.currentTarget.value;
        if (e.key !== "Enter" || asked.trim() === "") return;
        e.preventDefault();
        unitMeant(asked).then(
          (code) => {
            if (!code) return;
            setText("");
            field.current?.blur();
            void navigate(`/units/${encodeURIComponent(code)}`);
          },
          () => undefined,
        );
      }}
    />
  );
}
