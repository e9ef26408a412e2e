import { DropdownMenu } from "radix-ui";

import { useNotice } from "@/ui/notices";

interface Props {
  label: string;
  /** What can be taken, in words, and how. */
  ways: [words: string, take: () => void | Promise<void>][];
  large?: boolean;
}

/** A menu of ways to take something along; what fails says why. */
export function SaveMenu({ label, ways, large = false }: Props) {
  const say = useNotice();
  const failed = (problem: unknown) =>
    say(problem instanceof Error ? problem.message : "This could not be saved.", { trouble: true });
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className={`shrink-0 print:hidden rounded-md border border-line bg-card hover:border-quiet ${large ? "px-3 py-1.5 text-13" : "px-2.5 py-1 text-12"}`}
      >
        {label} <span aria-hidden>▾</span>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="card z-40 min-w-40 p-1 shadow-lg"
        >
          {ways.map(([words, take]) => (
            <DropdownMenu.Item
              key={words}
              className="cursor-pointer rounded px-2.5 py-1.5 text-12 outline-none data-[highlighted]:bg-paper"
              onSelect={() => void Promise.resolve().then(take).catch(failed)}
            >
              {words}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
