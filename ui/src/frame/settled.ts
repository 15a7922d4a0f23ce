import { useEffect, useState } from "react";

/** The text once it has stood still for a moment, so that not every key asks the server. */
export function useSettled(text: string, milliseconds = 180): string {
  const [settled, setSettled] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(text), milliseconds);
    return () => clearTimeout(timer);
  }, [text, milliseconds]);
  return settled;
}
