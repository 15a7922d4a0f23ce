import { type DBSchema, type IDBPDatabase, openDB } from "idb";
import type { KeptDraft } from "../account/kept";
import type { Schemas } from "../api/client";
import type { Answers, RoundState, Taken } from "../round/types";
import type { SealKey, Sealed } from "./seal";

/** An entry that this device has recorded. It never changes: id, time and hash are made once. */
export interface Line {
  readonly id: string;
  /** Address of the person who recorded it: no one else sends it. */
  readonly person: string;
  /** Address of the account, and its id where it is known. */
  readonly unit: string;
  readonly account?: number;
  /** The entry as JSON, as it is sent. */
  readonly text: string;
  readonly sha256: string;
  /** When it was recorded, RFC 3339, by the clock of the server as far as the device knows it. */
  readonly recordedAt: string;
  /** Lines of the same act are written all or none, such as the strikes of an undo. */
  readonly act?: string;
  /** Its place in the queue, by the order of recording; none on a line of an earlier program. */
  readonly order?: number;
  /** What it says, in a few words. */
  readonly what: string;
  /** The round and the unit of the round that it came from. */
  readonly round?: string;
  readonly code?: string;
  /** What it was typed as, to be opened again when it is refused. */
  readonly draft?: KeptDraft;
  readonly state: "waiting" | "refused" | "written";
  /** Why the server refused it. */
  readonly why?: string;
  readonly fields?: readonly Schemas["FieldProblem"][];
}

/** A photo that belongs to an entry, until the server has it. */
export interface Photo {
  readonly sha256: string;
  readonly person: string;
  readonly content: Blob;
  /** Why the server refused it. */
  readonly why?: string;
}

export interface Device extends DBSchema {
  queue: { key: string; value: Line };
  photos: { key: string; value: Photo };
  /** The walk that lies open, one for each person. */
  walk: { key: string; value: Taken };
  /** Answers so far, by round and unit. */
  answers: { key: string; value: Answers };
  rounds: { key: string; value: RoundState };
  facts: { key: string; value: string };
  /** Jobs as the server had them last, by person and id. */
  jobs: { key: string; value: KeptJob };
  /** What happened on jobs and is not on the server yet. */
  jobEvents: { key: string; value: JobLine };
  /** What people who are not signed in here have not sent. */
  sealed: { key: number; value: Sealed };
  /** Keys of those who are signed in here, by person. */
  keys: { key: string; value: SealKey };
}

/** A job that this device has taken along. */
export interface KeptJob {
  readonly id: string;
  readonly person: string;
  readonly revision: number;
  readonly pack: string;
  /** Why the ledger does not take its entries. */
  readonly problem?: string;
}

/** An event of a job that this device has recorded. It never changes: id and time are made once. */
export interface JobLine {
  readonly id: string;
  readonly person: string;
  readonly job: string;
  readonly unit: string;
  readonly what: string;
  readonly event: Schemas["JobEvents"]["events"][number];
  /** Its place among those that wait, by the order of recording; none on a line of an earlier program. */
  readonly order?: number;
  /** Why the server refused it; while there is none it waits. */
  readonly why?: string;
}

let opened: Promise<IDBPDatabase<Device>> | undefined;

/** The database of this device. A later version of the program adds to it and keeps what is there. */
export function device(): Promise<IDBPDatabase<Device>> {
  opened ??= openDB<Device>("diligent", 3, {
    upgrade(db, from) {
      if (from < 1) {
        db.createObjectStore("queue", { keyPath: "id" });
        db.createObjectStore("photos", { keyPath: "sha256" });
        db.createObjectStore("walk");
        db.createObjectStore("answers");
        db.createObjectStore("rounds", { keyPath: "id" });
        db.createObjectStore("facts");
      }
      if (from < 2) {
        db.createObjectStore("jobs");
        db.createObjectStore("jobEvents", { keyPath: "id" });
      }
      if (from < 3) {
        db.createObjectStore("sealed", { autoIncrement: true });
        db.createObjectStore("keys");
      }
    },
    // A newer program in another tab needs a later version: this one lets it.
    blocking: () => void closeDevice(),
    terminated: () => (opened = undefined),
  }).catch((error: unknown) => {
    opened = undefined;
    throw error;
  });
  return opened;
}

async function closeDevice() {
  const db = await opened;
  opened = undefined;
  db?.close();
}

/** SHA-256 of a text in UTF-8 or of some bytes, hexadecimal. */
export async function sha256(content: string | ArrayBuffer): Promise<string> {
  const bytes = typeof content === "string" ? new TextEncoder().encode(content) : new Uint8Array(content);
  const hash = await crypto.subtle.digest("SHA-256", bytes);
  return [...new Uint8Array(hash)].map((b) => b.toString(16).padStart(2, "0")).join("");
}
