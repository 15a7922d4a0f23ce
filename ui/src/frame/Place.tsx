import { useEffect, useRef } from "react";
import { NavigationType, useLocation, useNavigationType } from "react-router";

/** How long a page may take to be drawn as long as it was, ms (judgement). */
const patience = 2_000;

const keyOf = (key: string) => `diligent.place/${key}`;

/**
 * A page that is opened begins at its top, with the focus; one that is gone back to is where it was left, with the focus on
 * the link that led away. A change of the address within a page moves nothing.
 */
export function Place() {
  const { key, pathname } = useLocation();
  const type = useNavigationType();
  const before = useRef<string>(undefined);
  useEffect(() => {
    window.history.scrollRestoration = "manual";
  }, []);
  useEffect(() => {
    const keep = () => sessionStorage.setItem(keyOf(key), String(window.scrollY));
    window.addEventListener("scroll", keep, { passive: true });
    return () => window.removeEventListener("scroll", keep);
  }, [key]);
  useEffect(() => {
    const from = before.current;
    before.current = pathname;
    if (type !== NavigationType.Pop) {
      if (from === undefined || from === pathname) return undefined;
      window.scrollTo(0, 0);
      // The page that was left may be shown until the new one has come, and takes the focus with it.
      const begun = Date.now();
      const timer = setInterval(() => {
        if (document.activeElement === null || document.activeElement === document.body)
          document.getElementById("page")?.focus({ preventScroll: true });
        if (Date.now() - begun > patience) clearInterval(timer);
      }, 50);
      return () => clearInterval(timer);
    }
    const top = Number(sessionStorage.getItem(keyOf(key)) ?? "0");
    const begun = Date.now();
    const timer = setInterval(() => {
      const there = document.documentElement.scrollHeight >= top + window.innerHeight;
      const left =
        from === undefined ? null : document.querySelector<HTMLElement>(`#page a[href="${CSS.escape(from)}"]`);
      if ((!there || (from !== undefined && !left)) && Date.now() - begun < patience) return;
      clearInterval(timer);
      if (document.activeElement === document.body || document.activeElement?.id === "page")
        left?.focus({ preventScroll: true });
      window.scrollTo(0, top);
    }, 50);
    return () => clearInterval(timer);
  }, [key, pathname, type]);
  return null;
}
