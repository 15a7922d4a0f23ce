import { Problem, api } from "../api/client";
import { type Photo, device, sha256 } from "./device";
import { sendable } from "./outbox";
import { source } from "./source";

/** Longest side of a photo, pixels, and how many bytes it may have. */
const longest = 1600;
const mostBytes = 580_000;

const photos = source<readonly Photo[]>([], () => {
  void refresh().catch(() => undefined);
  return undefined;
});

async function refresh() {
  photos.set(await (await device()).getAll("photos"));
}

/** Reads the photos anew, after something else changed them. */
export const rereadPhotos = refresh;

/** The photos of a person that the server does not have. */
export const usePhotos = (person: string): readonly Photo[] => photos.use().filter((p) => p.person === person);

/** Forgets a photo that the server refused; its entry stays, and names it. */
export async function dropPhoto(hash: string) {
  await (await device()).delete("photos", hash);
  await refresh();
}

/**
 * Keeps a photo to be sent, and gives its SHA-256. It is drawn anew, so that nothing that the camera wrote into it, such as
 * the place, is left.
 */
export async function keepPhoto(person: string, file: Blob): Promise<string> {
  const content = await shrunk(file);
  const hash = await sha256(await content.arrayBuffer());
  const db = await device();
  await db.put("photos", { sha256: hash, person, content });
  await refresh();
  return hash;
}

async function shrunk(file: Blob): Promise<Blob> {
  const image = await createImageBitmap(file).catch(() => {
    throw new Error("This file is not read as a photo; accepted: a photo as JPEG, PNG or WebP.");
  });
  const canvas = document.createElement("canvas");
  for (let side = longest, quality = 0.8; side >= 400; side *= 0.75, quality -= 0.05) {
    const scale = Math.min(1, side / Math.max(image.width, image.height));
    canvas.width = Math.max(1, Math.round(image.width * scale));
    canvas.height = Math.max(1, Math.round(image.height * scale));
    canvas.getContext("2d")?.drawImage(image, 0, 0, canvas.width, canvas.height);
    const drawn = await new Promise<Blob | null>((done) => canvas.toBlob(done, "image/jpeg", quality));
    if (drawn && drawn.size <= mostBytes) return drawn;
  }
  throw new Error("The photo cannot be made small enough.");
}

/** Sends the photos of a person that the server does not have; one that it refuses says why. */
export async function sendPhotos(person: string): Promise<void> {
  const db = await device();
  for (const p of await db.getAll("photos")) {
    if (p.person !== person || p.why !== undefined) continue;
    try {
      await api.addPhoto(p.sha256, p.content);
      await db.delete("photos", p.sha256);
    } catch (error) {
      if (sendable(error) || !(error instanceof Problem)) return;
      const tx = db.transaction("photos", "readwrite");
      if (await tx.store.get(p.sha256)) await tx.store.put({ ...p, why: error.message });
      await tx.done;
    }
    await refresh();
  }
}
