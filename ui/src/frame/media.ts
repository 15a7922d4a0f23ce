import { useCallback, useSyncExternalStore } from "react";

/** Whether a media query holds, as the window changes. */
export function useMedia(query: string): boolean {
  const follow = useCallback(
    (changed: () => void) => {
      const media = window.matchMedia(query);
      media.addEventListener("change", changed);
      return () => media.removeEventListener("change", changed);
    },
    [query],
  );
  return useSyncExternalStore(follow, () => window.matchMedia(query).matches);
}
