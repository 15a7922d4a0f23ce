import { api } from "../api/client";

/** The unit that a text means: the first found, by the answer to this text and no other. */
export async function unitMeant(text: string): Promise<string | undefined> {
  const answer = await api.units(text.trim());
  return answer[0]?.code;
}

/** What was typed: no code begins with a slash, one typed here was meant to bring the cursor. */
export const typedText = (value: string) => value.replace(/^\/+/, "");
