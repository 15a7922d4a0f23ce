import { useEffect } from "react";

/**
 * Does work now, when a connection comes back, and again after some milliseconds while it says that something remains to be done.
 * With nothing left there is no timer. work must be the same function while nothing changed.
 */
export function useUntilDone(work: () => Promise<boolean>, every: number) {
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined;
    let gone = false;
    const now = () => {
      clearTimeout(timer);
      void work()
        .catch(() => true)
        .then((remains) => {
          if (remains && !gone) timer = setTimeout(now, every);
        });
    };
    now();
    window.addEventListener("online", now);
    return () => {
      gone = true;
      clearTimeout(timer);
      window.removeEventListener("online", now);
    };
  }, [work, every]);
}
