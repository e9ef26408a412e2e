/** The ways to look at one station, side by side; the present one is underlined in copper. */
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
    <div role="tablist" className="flex gap-4">
      {views.map(([key, name]) => (
        <button
          key={key}
          type="button"
          role="tab"
          aria-selected={view === key}
          className={`border-b-2 px-0.5 pb-1 ${view === key ? "border-copper font-semibold" : "border-transparent text-quiet hover:text-ink"}`}
          onClick={() => onView(key)}
        >
          {name}
        </button>
      ))}
    </div>
  );
}
