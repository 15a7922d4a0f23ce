import { useEffect, useState } from "react";
import { timeNow } from "../frame/clock";

const two = (n: number) => String(n).padStart(2, "0");

/** What is left until a moment, counted down; that it is over once it is. */
export function Remaining({ ends }: { ends: string }) {
  const [now, setNow] = useState(() => timeNow().getTime());
  useEffect(() => {
    const timer = setInterval(() => setNow(timeNow().getTime()), 1_000);
    return () => clearInterval(timer);
  }, []);
  const s = Math.round((Date.parse(ends) - now) / 1000);
  if (s <= 0) return <b className="countdown figures"> time is over</b>;
  const h = Math.floor(s / 3600);
  const text =
    h >= 48
      ? `${Math.floor(h / 24)} days ${h % 24} h left`
      : h > 0
        ? `${h} h ${two(Math.floor((s % 3600) / 60))} min left`
        : `${Math.floor(s / 60)}:${two(s % 60)} left`;
  return (
    <b className="countdown figures" role="timer">
      {" "}
      {text}
    </b>
  );
}
