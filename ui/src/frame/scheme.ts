import { useLayoutEffect, useState } from "react";

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
  // Before the first paint: colours that change after it are faded from one to the other.
  useLayoutEffect(() => {
    const show = (used: Scheme) => {
      document.documentElement.classList.remove("light", "dark");
      document.documentElement.classList.add(used);
      document.documentElement.style.colorScheme = used;
    };
    show(scheme);
    // Paper is white.
    const paper = () => show("light");
    const screen = () => show(scheme);
    window.addEventListener("beforeprint", paper);
    window.addEventListener("afterprint", screen);
    return () => {
      window.removeEventListener("beforeprint", paper);
      window.removeEventListener("afterprint", screen);
    };
  }, [scheme]);
  function turn() {
    const next = scheme === "light" ? "dark" : "light";
    localStorage.setItem(stored, next);
    setScheme(next);
  }
  return [scheme, turn];
}
