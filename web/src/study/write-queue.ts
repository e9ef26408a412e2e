export type Mark = { "If-Match": string };

/** The header that says which revision was seen before a change. */
export function mark(revision: number): Mark {
  return { "If-Match": `"${revision}"` };
}

const left = new Map<string, number>();
let last: Promise<unknown> = Promise.resolve();

/**
 * Send a change of something that has a revision, after the changes before it. Two quick changes
 * by one person do not conflict: the second goes by the revision that the first one left, which
 * the screen may not have asked for yet. Somebody else's change in between still does.
 */
export function queueWrite<T>(
  thing: string,
  seen: number,
  send: (mark: Mark) => Promise<T>,
): Promise<T> {
  const mine = last.then(async () => {
    const revision = Math.max(seen, left.get(thing) ?? 0);
    const now = await send(mark(revision));
    const next = (now as { revision?: number } | undefined)?.revision;
    if (next !== undefined) left.set(thing, next);
    return now;
  });
  last = mine.catch(() => undefined);
  return mine;
}

const sent = new Map<string, { revision: number; value: unknown }>();

/**
 * What a change begins from: what is on the screen, or what this person sent last where the screen
 * has not shown it yet. Two quick changes of one thing then add up instead of the second undoing
 * the first.
 */
export function latest<T>(thing: string, seen: number, shown: T): T {
  const mine = sent.get(thing);
  return mine && mine.revision > seen ? (mine.value as T) : shown;
}

/** Remember what is being sent until the screen shows it; forget it when it was refused. */
export async function remembered<T extends { revision: number }>(
  thing: string,
  value: unknown,
  answer: Promise<T>,
): Promise<T> {
  const mine = { revision: Infinity, value };
  sent.set(thing, mine);
  try {
    const now = await answer;
    mine.revision = now.revision;
    return now;
  } catch (problem) {
    if (sent.get(thing) === mine) sent.delete(thing);
    throw problem;
  }
}
