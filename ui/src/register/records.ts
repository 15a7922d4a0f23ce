import type { Schemas } from "../api/client";

export type RecordKind = Schemas["RecordKind"];
export type RegisterRecord = Schemas["RegisterRecord"];
export type Fact = Schemas["RegisterFact"];

/** How records of a kind are spoken of, and the columns of their list: the code of a fact and its heading. */
export const kinds: Readonly<
  Record<RecordKind, { one: string; many: string; title: string; columns: readonly (readonly [string, string])[] }>
> = {
  unit: {
    one: "unit",
    many: "units",
    title: "Units",
    columns: [
      ["name", "name"],
      ["kind", "kind"],
      ["type", "type"],
      ["site", "site"],
      ["place", "parking place"],
      ["plan", "service plan"],
      ["capacity", "capacity"],
    ],
  },
  type: {
    one: "type",
    many: "types",
    title: "Types",
    columns: [
      ["kind", "kind"],
      ["capacity", "capacity"],
      ["base", "glycol"],
      ["common", "common practice"],
      ["units", "units"],
    ],
  },
  site: {
    one: "site",
    many: "sites",
    title: "Sites",
    columns: [
      ["address", "address"],
      ["altitude", "altitude"],
      ["zone", "time zone"],
    ],
  },
  product: {
    one: "product",
    many: "products",
    title: "Products",
    columns: [
      ["name", "name"],
      ["base", "glycol"],
      ["technology", "technology"],
      ["form", "form"],
      ["glycol", "strength"],
      ["meets", "meets"],
    ],
  },
  instrument: {
    one: "instrument",
    many: "instruments",
    title: "Instruments",
    columns: [
      ["kind", "kind"],
      ["scale", "scale"],
      ["site", "kept at"],
      ["expires", "strips expire"],
      ["withdrawn", "withdrawn"],
    ],
  },
  technician: {
    one: "technician",
    many: "technicians",
    title: "Technicians",
    columns: [
      ["site", "works at"],
      ["skills", "skills"],
      ["days", "working days"],
      ["hours", "hours"],
      ["absent", "absent"],
      ["left", "left"],
    ],
  },
};

export const recordKinds = Object.keys(kinds) as RecordKind[];

export const isRecordKind = (text: string | undefined): text is RecordKind => text !== undefined && text in kinds;

/** Address of the page of a record. */
export const recordPath = (of: RecordKind, key: string) => `/register/${of}/${encodeURIComponent(key)}`;

export const unitKinds = ["car", "truck", "motorcycle", "boat", "aircraft"] as const;
export type UnitKind = (typeof unitKinds)[number];
