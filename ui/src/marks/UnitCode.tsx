import type { Schemas } from "../api/client";

const circuits: Record<Schemas["Circuit"], true> = {
  engine: true,
  port: true,
  starboard: true,
  inverter: true,
  battery: true,
  "charge-air": true,
  "rear-heater": true,
};

/** The code of the unit of an account's address, which may name one circuit of several. */
export function unitOfAddress(code: string): string {
  const at = code.lastIndexOf(" ");
  return at >= 0 && Object.hasOwn(circuits, code.slice(at + 1)) ? code.slice(0, at) : code;
}

/** The code of a unit; where it names one circuit of several, that is beneath it. */
export function UnitCode({ code }: { code: string }) {
  const at = code.lastIndexOf(" ");
  const circuit = code.slice(at + 1);
  if (at < 0 || !Object.hasOwn(circuits, circuit)) return code;
  return (
    <>
      {code.slice(0, at)} <span className="of-circuit">{circuit}</span>
    </>
  );
}
