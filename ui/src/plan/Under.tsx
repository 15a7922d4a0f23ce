import { Cautions } from "../frame/Cautions";
import { figure, weekDay } from "../words/figures";
import { type Board, weekNumber } from "./carry";

const sum = (all: readonly number[]) => all.reduce((a, b) => a + b, 0);

/** Under the board: what is mixed when, what the plan draws and costs, and how earlier weeks came out. */
export function Under({ board }: { board: Board }) {
  return (
    <div className="plan-under">
      <section>
        <h2 className="heading">Mixed in the morning</h2>
        {board.mixing.length === 0 && <p className="faint">Nothing is to be mixed in these days.</p>}
        <ul>
          {board.mixing.map((m) => (
            <li key={`${m.day} ${m.site} ${m.text}`}>
              <b className="figures">{weekDay(m.day)}</b> {m.site}: {m.text}{" "}
              <span className="faint figures">{m.units.join(", ")}</span>
            </li>
          ))}
        </ul>
        {board.drawn.length > 0 && <p>From today until then the plan draws {board.drawn.join(", ")}.</p>}
      </section>
      <section>
        <h2 className="heading">What the plan costs</h2>
        <p>
          <b className="figures">{figure(board.cost, 1)}</b> hours of work in all, for what is placed until then
          {board.price.length === 0 ? "." : ":"}
        </p>
        <ul>
          {board.price.map((line) => (
            <li key={line}>{line}</li>
          ))}
        </ul>
        {board.notes.map((n) => (
          <p key={n} className="alarm">
            {n}
          </p>
        ))}
      </section>
      <section>
        <h2 className="heading">How agreed weeks came out</h2>
        {board.held.length === 0 ? (
          <p className="faint">No week has been agreed yet.</p>
        ) : (
          <p>
            Of <span className="figures">{sum(board.held.map((h) => h.agreed))}</span> agreed jobs{" "}
            <b className="figures">{sum(board.held.map((h) => h.onDay))}</b> were done on their day.
          </p>
        )}
        <ul>
          {board.held.map((h) => (
            <li key={h.monday}>
              <b>week {weekNumber(h.monday)}</b> {h.text}
            </li>
          ))}
        </ul>
      </section>
      <Cautions lines={board.cautions} />
    </div>
  );
}
