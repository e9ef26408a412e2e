/** Milliseconds to wait before a part of the program that did not load is asked for again. */
const PAUSES = [400, 1_600];

/** A part of the program, asked for again where the connection broke off. */
export async function loaded<T>(load: () => Promise<T>): Promise<T> {
  for (const pause of PAUSES) {
    try {
      return await load();
    } catch {
      await new Promise((resolve) => setTimeout(resolve, pause));
    }
  }
  return load();
}
