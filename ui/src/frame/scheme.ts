import { useEffect, useState } from "react";

type Scheme = "light" | "dark";

const stored = "diligent.scheme";

function initial(): Scheme {
  const chosen = localStorage.getItem(stored);
  if (chosen === "light" || chosen === "dark") return chosen;
  return window.matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

/** Light or dark: this browser's choice, else what the system prefers. */
export function useScheme(): [Scheme, () => void] {
  const [scheme, setScheme] = useState<Scheme>(initial);
  useEffect(() => {
    document.documentElement.classList.remove("light", "dark");
    document.documentElement.classList.add(scheme);
    document.documentElement.style.colorScheme = scheme;
  }, [scheme]);
  function turn() {
    const next = scheme === "light" ? "dark" : "light";
    localStorage.setItem(stored, next);
    setScheme(next);
  }
  return [scheme, turn];
}
