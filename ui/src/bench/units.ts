import { useState } from "react";
import type { Schemas } from "../api/client";

export type UnitSystem = Schemas["UnitSystem"];

const stored = "diligent.units.system";

export const systemNames: readonly (readonly [UnitSystem, string])[] = [
  ["metric", "metric: °C, L, kPa, m"],
  ["us", "US: °F, US qt, psi, ft"],
  ["imperial", "imperial: °C, imp qt, psi, ft"],
];

function known(value: string | null): UnitSystem | undefined {
  return systemNames.find(([s]) => s === value)?.[0];
}

/** The units this person reads in; an address that names others wins for this visit. */
export function useUnitSystem(asked: string | null): [UnitSystem, (s: UnitSystem) => void] {
  const [chosen, setChosen] = useState<UnitSystem>(() => known(localStorage.getItem(stored)) ?? "metric");
  function choose(s: UnitSystem) {
    localStorage.setItem(stored, s);
    setChosen(s);
  }
  return [known(asked) ?? chosen, choose];
}
