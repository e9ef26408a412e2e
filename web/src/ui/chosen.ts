/** The view an address asks for; the first where what is shown has no such view. */
export function chosen<Key extends string>(
  views: readonly (readonly [Key, string])[],
  asked: string | null,
): Key {
  const [first] = views[0] as readonly [Key, string];
  return views.find(([key]) => key === asked)?.[0] ?? first;
}
