import type { IDBPTransaction } from "idb";
import { api } from "../api/client";
import { draftsOf, putDraft } from "../account/kept";
import { type Device, device } from "./device";
import { forgetJobs, rereadEvents } from "./jobEvents";
import { rereadQueue } from "./outbox";
import { rereadPhotos } from "./photos";

/*
 * What a person has not sent is readable on the device while they are signed in there. When they sign out, or another person signs in,
 * it is sealed: AES-GCM (NIST SP 800-38D) under a key that the server gives to the sessions of this person alone. The browser does not
 * give the key out, and it is removed with the sealing; the next sign-in fetches it and opens what was sealed.
 */

/** Something of a person, encrypted. */
export interface Sealed {
  /** First 16 bytes of the SHA-256 of the key, hexadecimal: says whose it is only to the one who has the key. */
  readonly mark: string;
  readonly nonce: Uint8Array<ArrayBuffer>;
  readonly content: ArrayBuffer;
}

export interface SealKey {
  readonly mark: string;
  readonly key: CryptoKey;
}

const stores = ["queue", "photos", "jobEvents", "walk", "rounds", "answers"] as const;
type Store = (typeof stores)[number];

/** A record as it is encrypted; a photo's bytes as base64. */
interface Plain {
  readonly store: Store | "draft";
  readonly key: string;
  readonly value: unknown;
}

const bytesOf = (base64: string) => Uint8Array.from(atob(base64), (c) => c.charCodeAt(0));

async function base64Of(content: Blob): Promise<string> {
  const bytes = new Uint8Array(await content.arrayBuffer());
  let text = "";
  for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192));
  return btoa(text);
}

async function encrypt(k: SealKey, plain: Plain): Promise<Sealed> {
  let value = plain.value;
  if (plain.store === "photos") {
    const photo = value as Device["photos"]["value"];
    value = { ...photo, content: await base64Of(photo.content), type: photo.content.type };
  }
  const nonce = crypto.getRandomValues(new Uint8Array(12));
  const text = new TextEncoder().encode(JSON.stringify({ ...plain, value }));
  return { mark: k.mark, nonce, content: await crypto.subtle.encrypt({ name: "AES-GCM", iv: nonce }, k.key, text) };
}

async function decrypt(k: SealKey, s: Sealed): Promise<Plain> {
  const text = await crypto.subtle.decrypt({ name: "AES-GCM", iv: s.nonce }, k.key, s.content);
  const plain = JSON.parse(new TextDecoder().decode(text)) as Plain;
  if (plain.store !== "photos") return plain;
  const { content, type, ...rest } = plain.value as { content: string; type: string };
  return { ...plain, value: { ...rest, content: new Blob([bytesOf(content)], { type }) } };
}

/** What lies on the device of a person, by store and key; own are the rounds of this person, whose answers are theirs. */
async function readAll(
  tx: IDBPTransaction<Device, typeof stores extends readonly (infer S)[] ? S[] : never>,
  person: string,
  own: Set<string>,
): Promise<Plain[]> {
  const found: Plain[] = [];
  for (const store of stores)
    for (let at = await tx.objectStore(store).openCursor(); at; at = await at.continue()) {
      const key = at.key;
      const value: unknown = at.value;
      const theirs =
        store === "answers" ? own.has(key.split("/")[0] ?? "") : (value as { person: string }).person === person;
      if (!theirs) continue;
      if (store === "rounds") own.add(key);
      found.push({ store, key, value });
    }
  return found;
}

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

/** Seals what lies on the device of a person, and removes the key; without a key it stays as it is. */
export async function seal(person: string): Promise<void> {
  const db = await device();
  const k = await db.get("keys", person);
  if (!k) return;
  const own = new Set<string>();
  // What is changed meanwhile, by another tab or an answer on its way, is sealed in the next turn.
  for (let turn = 0; turn < 20; turn++) {
    const found = [
      ...(await readAll(db.transaction([...stores], "readonly"), person, own)),
      ...draftsOf(person).map(([key, value]): Plain => ({ store: "draft", key, value })),
    ];
    if (found.length === 0) break;
    const sealed = await Promise.all(found.map((plain) => encrypt(k, plain)));
    const tx = db.transaction([...stores, "sealed"], "readwrite", { durability: "strict" });
    const drafts: string[] = [];
    for (const [i, plain] of found.entries()) {
      const s = sealed[i];
      if (!s) continue;
      if (plain.store === "draft") drafts.push(plain.key);
      else if (!same(await tx.objectStore(plain.store).get(plain.key), plain.value)) continue;
      else await tx.objectStore(plain.store).delete(plain.key);
      await tx.objectStore("sealed").add(s);
    }
    await tx.done;
    for (const key of drafts) putDraft(key, undefined);
  }
  await db.delete("keys", person);
  await reread();
}

async function reread() {
  await Promise.all([rereadQueue(), rereadEvents(), rereadPhotos()]);
}

/** Seals what lies on the device of all who are not the one who is signed in. */
export async function sealOthers(person: string): Promise<void> {
  const db = await device();
  for (const other of await db.getAllKeys("keys")) {
    if (other === person) continue;
    await forgetJobs(other); // the server has them
    await seal(other);
  }
}

/** Opens what was sealed of the person who has signed in, and keeps their key while they are; true when something was opened. */
export async function openSealed(person: string): Promise<boolean> {
  await sealOthers(person);
  const db = await device();
  let k = await db.get("keys", person);
  if (!k) {
    const raw = bytesOf((await api.sealKey()).key);
    const hash = new Uint8Array(await crypto.subtle.digest("SHA-256", raw)).subarray(0, 16);
    k = {
      mark: [...hash].map((b) => b.toString(16).padStart(2, "0")).join(""),
      key: await crypto.subtle.importKey("raw", raw, "AES-GCM", false, ["encrypt", "decrypt"]),
    };
    await db.put("keys", k, person);
  }
  const { mark } = k;
  const ids = (await db.getAllKeys("sealed")).filter((id) => typeof id === "number");
  let opened = false;
  for (const id of ids) {
    const s = await db.get("sealed", id);
    if (s?.mark !== mark) continue;
    const plain = await decrypt(k, s).then(
      (p) => owned(p, person),
      () => undefined,
    );
    if (!plain || (plain.store === "draft" && !fits(plain))) continue; // it stays sealed
    const tx = db.transaction([...stores, "sealed"], "readwrite", { durability: "strict" });
    // Another tab may have opened it a moment ago, and sent it.
    if (await tx.objectStore("sealed").get(id)) {
      if (plain.store === "walk" || plain.store === "answers") await putKeyed(tx, plain);
      else if (plain.store !== "draft") await tx.objectStore(plain.store).put(plain.value as never);
      await tx.objectStore("sealed").delete(id);
      opened = true;
    }
    await tx.done;
  }
  if (opened) await reread();
  return opened;
}

/** Under the address that the person has now: it may have been changed since. */
function owned(plain: Plain, person: string): Plain {
  if (plain.store === "draft") {
    const [prefix, , ...rest] = plain.key.split("/");
    return { ...plain, key: [prefix, encodeURIComponent(person), ...rest].join("/") };
  }
  const value = plain.value as { person?: string };
  if (value.person === undefined) return plain;
  return { ...plain, key: plain.store === "walk" ? person : plain.key, value: { ...value, person } };
}

/** Puts a draft back; false when the device has no room for it. */
function fits(plain: Plain): boolean {
  try {
    putDraft(plain.key, plain.value as string);
    return true;
  } catch {
    return false;
  }
}

async function putKeyed(
  tx: { objectStore: (name: "walk" | "answers") => { put?: (value: never, key: string) => Promise<unknown> } },
  plain: Plain,
) {
  const store = plain.store === "walk" ? "walk" : "answers";
  await tx.objectStore(store).put?.(plain.value as never, plain.key);
}

/** How many things wait sealed on this device. */
export async function countSealed(): Promise<number> {
  return (await device()).count("sealed");
}
