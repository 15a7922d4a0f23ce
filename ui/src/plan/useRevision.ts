import { useEffect, useRef } from "react";

/** Follows the revision of the plan by server-sent events, and calls with each new one. The browser asks again when a stream ends. */
export function useRevision(changed: (revision: number) => void) {
  const call = useRef(changed);
  useEffect(() => {
    call.current = changed;
  });
  useEffect(() => {
    const events = new EventSource("/api/v1/plan/events");
    events.onmessage = (e: MessageEvent<string>) => call.current(Number(e.data));
    return () => events.close();
  }, []);
}
