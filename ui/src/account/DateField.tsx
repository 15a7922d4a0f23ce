import { useEffect, useRef, useState } from "react";
import { Problem, api } from "../api/client";
import { useSettled } from "../frame/settled";
import { longDay } from "../words/figures";
import { TextField } from "./fields";

/** What a date field says while its text is being read, and when it cannot be. */
export const unread = "unread";

interface Props {
  label: string;
  hidden?: boolean;
  width?: string;
  /** A day, or a moment with its offset; empty for none. */
  value: string;
  /** Given what was read, [unread] until then. */
  onChange: (value: string) => void;
  /** A day with a time, in the zone of this unit's site. */
  momentOf?: string;
  /** A day with a time, in the zone of the fleet. */
  moment?: boolean;
  placeholder?: string;
  error?: string | undefined;
}

/** How a day or a moment is shown, as the person reads dates. */
const shown = (value: string) =>
  value.length > 10 ? `${longDay(value.slice(0, 10))} ${value.slice(11, 16)}` : value ? longDay(value) : "";

/** A date as people type it: yesterday, 3 Nov, 2026-11-03. The server reads it, and it is shown one way everywhere. */
export function DateField(p: Props) {
  const [typed, setTyped] = useState<string>();
  const [wrong, setWrong] = useState("");
  const settled = useSettled(typed ?? "", 250);
  const change = useRef(p.onChange);
  useEffect(() => {
    change.current = p.onChange;
  });
  const { momentOf, moment = false } = p;
  useEffect(() => {
    if (settled.trim() === "") return undefined;
    const stop = new AbortController();
    api
      .dates(
        {
          texts: { date: settled },
          ...(momentOf !== undefined ? { moments: true, unit: momentOf } : moment && { moments: true }),
        },
        stop.signal,
      )
      .then(
        (answer) => {
          if (stop.signal.aborted) return;
          const read = answer.values.date;
          setWrong(read ? "" : `“${settled}” is not accepted; accepted: ${answer.wrong.date ?? ""}`);
          if (read) change.current(read);
        },
        (error: unknown) => {
          if (!stop.signal.aborted) setWrong(error instanceof Problem ? error.message : String(error));
        },
      );
    return () => stop.abort();
  }, [settled, momentOf, moment]);
  const read = p.value !== "" && p.value !== unread;
  return (
    <TextField
      label={p.label}
      hidden={p.hidden}
      width={p.width ?? "176px"}
      maxLength={60}
      placeholder={p.placeholder ?? "3 Nov, yesterday"}
      value={typed ?? shown(p.value)}
      error={typed?.trim() && wrong ? wrong : p.error}
      hint={typed?.trim() && read && typed.trim() !== shown(p.value) ? shown(p.value) : undefined}
      onChange={(text) => {
        setTyped(text);
        setWrong("");
        p.onChange(text.trim() === "" ? "" : unread);
      }}
      onBlur={() => {
        // What was read is shown the one way; what was not stays to be put right.
        if (read || p.value === "") setTyped(undefined);
      }}
    />
  );
}
