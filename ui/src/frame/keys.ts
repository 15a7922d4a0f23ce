import { useEffect } from "react";
import { flushSync } from "react-dom";

/** A key of a page: what it is called, and what it does. */
export interface Key {
  readonly key: string;
  readonly does: string;
  readonly run: () => void;
}

function typing(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement && (target.isContentEditable || /^(INPUT|SELECT|TEXTAREA)$/.test(target.tagName))
  );
}

/** Binds keys while the component is shown. A key pressed in a field is text and is left alone. */
export function useKeys(keys: readonly Key[]) {
  useEffect(() => {
    function press(event: KeyboardEvent) {
      if (event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
      const found = keys.find((k) => k.key === event.key);
      if (!found) return;
      event.preventDefault();
      // What the key opens has the focus before the next key comes.
      flushSync(found.run);
    }
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [keys]);
}

/** Moves the focus by step among the elements marked data-line; the first one when none has it. */
export function moveLine(step: 1 | -1) {
  const lines = [...document.querySelectorAll<HTMLElement>("[data-line]")].filter((l) => l.offsetParent !== null);
  const at = lines.findIndex((l) => l === document.activeElement);
  const next = at < 0 ? (step > 0 ? 0 : lines.length - 1) : Math.min(lines.length - 1, Math.max(0, at + step));
  lines[next]?.focus();
}

/** Acts on Escape, also while typing. */
export function useEscape(act: () => void) {
  useEffect(() => {
    function press(event: KeyboardEvent) {
      if (event.key === "Escape" && !event.defaultPrevented) act();
    }
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [act]);
}
