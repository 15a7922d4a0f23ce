import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { type DaySpan, notMeant } from "./PickBar";
import { allCodes } from "./pages";
import type { Row, View } from "./view";

/** Which units are picked, one by one or by a span of days. */
export interface Picking {
  readonly picked: ReadonlySet<string>;
  readonly span: DaySpan | undefined;
  /** The place of the first unit that a span picked, to be brought into sight; undefined without one. */
  readonly shown: number | undefined;
  /** What could not be picked, and why; empty for nothing. */
  readonly failed: string;
  /** Picks a unit or drops it; along with all between it and the one before, when asked. */
  readonly toggle: (code: string, along: boolean) => void;
  readonly set: (codes: readonly string[]) => void;
  /** Picks all units of the view. */
  readonly all: () => void;
  /** A span picks all units of the view that most likely run out in it. */
  readonly onSpan: (span: DaySpan | undefined) => void;
  /** Changes one end of the span as it is now, whatever was drawn last; an end that was not given is today. */
  readonly changeSpan: (part: Partial<DaySpan>, today: string) => void;
}

const none: ReadonlySet<string> = new Set();

export function usePicking(view: View, rows: ReadonlyMap<number, Row>): Picking {
  const [picked, setPicked] = useState<ReadonlySet<string>>(none);
  const [span, setSpan] = useState<DaySpan>();
  const [last, setLast] = useState<string>();
  const [failed, setFailed] = useState("");
  const [shown, setShown] = useState<number>();
  const known = useRef(rows);
  // What was asked last: an answer that comes after a later question is dropped.
  const asked = useRef(0);
  const spanNow = useRef<DaySpan>(undefined);
  useEffect(() => {
    known.current = rows;
  });
  const ask = useCallback(
    async (days?: DaySpan) => {
      const question = ++asked.current;
      try {
        const codes = await allCodes(view, days);
        if (question !== asked.current) return;
        setPicked(new Set(codes));
        const [first] = codes;
        if (!days || first === undefined) return;
        // In the order of the view the first that a span picks may be far down, where no row has come yet.
        const come = [...known.current].find(([, row]) => row.unit.code === first)?.[0];
        const place = come ?? (await allCodes(view)).indexOf(first);
        if (question !== asked.current) return;
        setShown(place);
        setFailed("");
      } catch (error) {
        if (question === asked.current) setFailed(error instanceof Error ? error.message : String(error));
      }
    },
    [view],
  );
  const toggle = useCallback(
    (code: string, along: boolean) => {
      const places = [...rows].sort(([a], [b]) => a - b).map(([, r]) => r.unit.code);
      setPicked((before) => {
        const next = new Set(before);
        const at = places.indexOf(code);
        const from = along && last !== undefined ? places.indexOf(last) : -1;
        if (from >= 0 && at >= 0) {
          for (const one of places.slice(Math.min(from, at), Math.max(from, at) + 1)) next.add(one);
        } else if (!next.delete(code)) next.add(code);
        return next;
      });
      setLast(code);
    },
    [rows, last],
  );
  const set = useCallback((codes: readonly string[]) => {
    setPicked(new Set(codes));
    setFailed("");
    asked.current++;
    if (codes.length > 0) return;
    spanNow.current = undefined;
    setSpan(undefined);
  }, []);
  const all = useCallback(() => void ask(), [ask]);
  const onSpan = useCallback(
    (next: DaySpan | undefined) => {
      spanNow.current = next;
      setSpan(next);
      if (next && !notMeant(next)) return void ask(next);
      asked.current++;
      if (next) setPicked(none);
    },
    [ask],
  );
  const changeSpan = useCallback(
    (part: Partial<DaySpan>, today: string) => {
      const next = { from: today, to: today, ...spanNow.current, ...part };
      onSpan(next.from || next.to ? next : undefined);
    },
    [onSpan],
  );
  return useMemo(
    () => ({ picked, span, shown, failed, toggle, set, all, onSpan, changeSpan }),
    [picked, span, shown, failed, toggle, set, all, onSpan, changeSpan],
  );
}
