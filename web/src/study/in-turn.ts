type Mark = { "If-Match": string };

const left = new Map<string, number>();
let last: Promise<unknown> = Promise.resolve();

/**
 * Send a change of something that has a revision, after the changes before it. Two quick changes
 * by one person do not conflict: the second goes by the revision that the first one left, which
 * the screen may not have asked for yet. Somebody else's change in between still does.
 */
export function inTurn<T extends { revision: number }>(
  thing: string,
  seen: number,
  send: (mark: Mark) => Promise<T>,
): Promise<T> {
  const mine = last.then(async () => {
    const revision = Math.max(seen, left.get(thing) ?? 0);
    const now = await send({ "If-Match": `"${revision}"` });
    left.set(thing, now.revision);
    return now;
  });
  last = mine.catch(() => undefined);
  return mine;
}
