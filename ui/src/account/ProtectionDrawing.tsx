import { useCallback, useState } from "react";
import { scaleLinear, scaleTime } from "d3-scale";
import { area, curveStepAfter, line as pathOf } from "d3-shape";
import { parseISO } from "date-fns";
import type { Account } from "../api/client";
import { celsius, figure, inTemperature, monthYear, shortDay } from "../words/figures";

const edge = { left: 38, right: 6, top: 12, bottom: 22 };
/** Before the page knows how wide it is. */
const usual = 760;
const ink = "var(--chakra-colors-ink)";
const faint = "var(--chakra-colors-faint)";
const rule = "var(--chakra-colors-rule)";
const accent = "var(--chakra-colors-accent)";
const alarm = "var(--chakra-colors-alarm)";
const page = "var(--chakra-colors-page)";

/** The book's freeze point from a line on. */
interface Step {
  readonly at: Date;
  readonly freeze: number | undefined;
  readonly low: number;
  readonly high: number;
}

/** The steps of the book line: where it changed, and its end today. */
function stepsOf(account: Account, from: Date, today: Date): Step[] {
  const steps = account.steps.map((s): Step => ({
    at: new Date(Math.max(new Date(s.at).getTime(), from.getTime())),
    freeze: s.freeze,
    low: s.low ?? s.freeze ?? 0,
    high: s.high ?? s.freeze ?? 0,
  }));
  const last = steps.at(-1);
  if (last) steps.push({ ...last, at: today });
  return steps;
}

/** Tests that could be trusted, in the span drawn. */
const testsOf = (account: Account) =>
  account.tests.map((t) => ({ at: new Date(t.at), moment: t.at, measured: t.measured, off: t.off === true }));

/** Protection through time: the book line with its band, tests as points, the site's coldest nights as the floor. */
export function ProtectionDrawing({ account }: { account: Account }) {
  const [width, measured] = useWidth(usual);
  return (
    <div ref={measured} className="protection">
      <Drawing account={account} width={width} />
    </div>
  );
}

function Drawing({ account, width }: { account: Account; width: number }) {
  const size = { ...edge, width, height: width < 500 ? 170 : 196 };
  const first = account.nights[0];
  const end = account.nights.at(-1);
  if (!first || !end) return null;
  const from = parseISO(first.day);
  const today = parseISO(account.today);
  const steps = stepsOf(account, from, today);
  const tests = testsOf(account);
  const lowest = Math.min(
    ...account.nights.map((n) => n.celsius),
    ...steps.filter((s) => s.freeze !== undefined).map((s) => s.low),
    ...tests.map((t) => t.measured),
    -20,
  );
  const x = scaleTime([from, parseISO(end.day)], [size.left, size.width - size.right]);
  const y = scaleLinear([0, lowest - 3], [size.top, size.height - size.bottom]);
  // The axis counts in whole steps of the reader's unit.
  const axis = y.copy().domain(y.domain().map((t) => inTemperature(t) ?? t));
  const floor =
    area<(typeof account.nights)[number]>(
      (n) => x(parseISO(n.day)),
      y(0),
      (n) => y(Math.min(0, n.celsius)),
    )(account.nights) ?? "";
  const known = (s: Step) => s.freeze !== undefined;
  const band =
    area<Step>(
      (s) => x(s.at),
      (s) => y(s.low),
      (s) => y(s.high),
    )
      .defined(known)
      .curve(curveStepAfter)(steps) ?? "";
  const book =
    pathOf<Step>(
      (s) => x(s.at),
      (s) => y(s.freeze ?? 0),
    )
      .defined(known)
      .curve(curveStepAfter)(steps) ?? "";
  const relied = account.protectsTo;
  const last = tests.at(-1);
  const caught = account.status.clocks.find((c) => c.kind === "freeze");
  const unsafe = caught?.window?.p10 ?? caught?.due;
  const tooCold = unsafe !== undefined && unsafe <= account.today;
  const says = [
    `Protection from ${shortDay(first.day)} to ${shortDay(end.day)} against the coldest nights of ${account.coldPlace}.`,
    relied === undefined ? "What it protects to is not known." : `It protects to ${celsius(relied)}.`,
    last ? `Last test ${celsius(last.measured)} on ${shortDay(last.moment)}.` : "It was not tested.",
  ].join(" ");
  const nearEnd = x(today) > size.width - 230;
  return (
    <svg
      width={size.width}
      height={size.height}
      viewBox={`0 0 ${size.width} ${size.height}`}
      role="img"
      aria-label={says}
    >
      <defs>
        <pattern id="nights" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <path d="M0 0V5" stroke="var(--chakra-colors-cold)" strokeWidth="1.8" />
        </pattern>
      </defs>
      {axis.ticks(5).map((t) => (
        <g key={t}>
          <path d={`M${size.left} ${axis(t)}H${size.width - size.right}`} stroke={rule} strokeWidth="1" />
          <Word x={size.left - 6} y={axis(t) + 4} anchor="end" fill={faint} small>
            {figure(t)}
          </Word>
        </g>
      ))}
      <path d={floor} fill="url(#nights)" stroke="var(--chakra-colors-cold)" strokeWidth="1" />
      {x.ticks(Math.max(3, Math.round(size.width / 105))).map((t) => (
        <Word key={t.toISOString()} x={x(t)} y={size.height - 6} anchor="middle" fill={faint} small>
          {monthYear(t)}
        </Word>
      ))}
      <Word x={size.width - size.right - 4} y={y(0) + 14} anchor="end" fill={faint} small>
        {`coldest nights, ${account.coldPlace}`}
      </Word>
      <path d={band} fill={accent} opacity="0.18" />
      <path d={book} fill="none" stroke={ink} strokeWidth="2" />
      {relied !== undefined && (
        <path
          d={`M${x(today)} ${y(relied)}H${size.width - size.right}`}
          stroke={accent}
          strokeWidth="2"
          strokeDasharray="6 4"
          fill="none"
        />
      )}
      <path
        d={`M${x(today) - 1.5} ${size.top - 6}V${size.height - size.bottom}M${x(today) + 1.5} ${size.top - 6}V${size.height - size.bottom}`}
        stroke={alarm}
        strokeWidth="1"
      />
      {tests.map((t) => (
        <circle
          key={t.moment}
          cx={x(t.at)}
          cy={y(t.measured)}
          r={t.off ? 5.2 : 3.6}
          fill={page}
          stroke={t.off ? alarm : ink}
          strokeWidth={t.off ? 2.4 : 1.6}
        />
      ))}
      {last && (
        <Word
          x={x(last.at) + (x(last.at) < 130 ? 9 : -9)}
          y={y(last.measured) - 8}
          anchor={x(last.at) < 130 ? "start" : "end"}
          fill={last.off ? alarm : ink}
          strong
        >
          {`measured ${figure(inTemperature(last.measured))}`}
        </Word>
      )}
      {relied !== undefined && account.safe !== undefined && (
        <Word
          x={nearEnd ? size.width - size.right : x(today) + 8}
          y={y(relied) + 16}
          anchor={nearEnd ? "end" : "start"}
          fill={tooCold ? alarm : accent}
          strong
        >
          {account.safe}
        </Word>
      )}
    </svg>
  );
}

/** The width of the element that the ref is given to, as the page is resized. */
function useWidth(before: number): [number, (element: HTMLElement | null) => (() => void) | undefined] {
  const [width, setWidth] = useState(before);
  const ref = useCallback((element: HTMLElement | null) => {
    if (!element) return undefined;
    const observer = new ResizeObserver(() => setWidth(Math.max(260, Math.floor(element.clientWidth))));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [width, ref];
}

function Word(p: {
  x: number;
  y: number;
  anchor: "start" | "middle" | "end";
  fill: string;
  small?: boolean;
  strong?: boolean;
  children: string;
}) {
  return (
    <text
      x={p.x}
      y={p.y}
      textAnchor={p.anchor}
      fill={p.fill}
      stroke={p.strong ? page : "none"}
      strokeWidth={p.strong ? 4 : 0}
      paintOrder="stroke"
      style={{ fontSize: p.small ? "11px" : "12.5px", fontWeight: p.strong ? 700 : 400 }}
    >
      {p.children}
    </text>
  );
}
