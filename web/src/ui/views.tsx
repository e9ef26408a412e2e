import { Tabs } from "radix-ui";

/**
 * The ways to look at one station, side by side; the present one is underlined in copper. Arrow
 * keys go from one to the next, Enter opens it.
 */
export function Views({
  views,
  view,
  onView,
}: {
  views: readonly (readonly [string, string])[];
  view: string;
  onView: (view: string) => void;
}) {
  return (
    <Tabs.Root value={view} onValueChange={onView} activationMode="manual">
      <Tabs.List className="flex flex-wrap gap-x-4">
        {views.map(([key, name]) => (
          <Tabs.Trigger
            key={key}
            value={key}
            // What a view shows stands below the whole head of the station, not in a panel of this.
            aria-controls={undefined}
            className="min-h-[24px] border-b-2 border-transparent px-0.5 pb-1 text-quiet hover:text-ink data-[state=active]:border-copper data-[state=active]:font-semibold data-[state=active]:text-ink print:data-[state=inactive]:hidden"
          >
            {name}
          </Tabs.Trigger>
        ))}
      </Tabs.List>
    </Tabs.Root>
  );
}
