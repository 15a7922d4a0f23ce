import { useCallback, useMemo, useState } from "react";
import { type DaySpan, dueWithin } from "./PickBar";
import type { Row } from "./view";

/** Which units are picked, one by one or by a span of days. */
export interface Picking {
  readonly picked: ReadonlySet<string>;
  readonly span: DaySpan | undefined;
  /** Picks a unit or lets it go; along with all between it and the one before, when asked. */
  readonly toggle: (code: string, along: boolean) => void;
  readonly set: (codes: readonly string[]) => void;
  /** A span picks all shown that most likely run out in it. */
  readonly onSpan: (span: DaySpan | undefined) => void;
}

const none: ReadonlySet<string> = new Set();

export function usePicking(rows: readonly Row[]): Picking {
  const [picked, setPicked] = useState<ReadonlySet<string>>(none);
  const [span, setSpan] = useState<DaySpan>();
  const [last, setLast] = useState<string>();
  const toggle = useCallback(
    (code: string, along: boolean) => {
      setPicked((before) => {
        const next = new Set(before);
        const at = rows.findIndex((r) => r.unit.code === code);
        const from = along ? rows.findIndex((r) => r.unit.code === last) : -1;
        if (from >= 0 && at >= 0) {
          for (const r of rows.slice(Math.min(from, at), Math.max(from, at) + 1)) next.add(r.unit.code);
        } else if (!next.delete(code)) next.add(code);
        return next;
      });
      setLast(code);
    },
    [rows, last],
  );
  const set = useCallback((codes: readonly string[]) => {
    setPicked(new Set(codes));
    if (codes.length === 0) setSpan(undefined);
  }, []);
  const onSpan = useCallback(
    (next: DaySpan | undefined) => {
      setSpan(next);
      if (next) setPicked(new Set(dueWithin(rows, next)));
    },
    [rows],
  );
  return useMemo(() => ({ picked, span, toggle, set, onSpan }), [picked, span, toggle, set, onSpan]);
}
