import { ToggleGroup } from "radix-ui";

import type { Choice, Thread } from "@/stations/measures/use-measures";
import { useStudy } from "@/study/context";

const ROLES = [
  ["shapes", "shapes", "Shapes the groups, with the others"],
  ["describes", "describes", "Describes each group, and does not shape it"],
  ["out", "out", "It is left out"],
] as const;

/** What a measure does in a grouping: one of three, at once and undoable. */
export function Role({ thread, onChoose }: { thread: Thread; onChoose: (choice: Choice) => void }) {
  const { canChange } = useStudy();
  return (
    <ToggleGroup.Root
      type="single"
      value={thread.role}
      disabled={!canChange}
      onValueChange={(role) => role && onChoose({ role })}
      title={thread.because || undefined}
      aria-label={`${thread.label} in groups`}
      className="flex justify-self-end overflow-hidden rounded-md border border-line text-11"
    >
      {ROLES.map(([role, name, words]) => (
        <ToggleGroup.Item
          key={role}
          value={role}
          title={words}
          className="border-l border-line bg-card px-1.5 py-1 text-quiet first:border-l-0 hover:text-ink data-[state=on]:bg-paper data-[state=on]:font-semibold data-[state=on]:text-ink data-[value=shapes]:data-[state=on]:bg-ink data-[value=shapes]:data-[state=on]:text-white"
          data-value={role}
        >
          {name}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}
