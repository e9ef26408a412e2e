import { SegmentMark } from "@/marks/segment-mark";
import { useChange } from "@/stations/portraits/book/use-book";
import type { Page } from "@/stations/portraits/book/use-book";
import { useStudy } from "@/study/context";
import { Switch } from "@/ui/switch";

/** The book's pages in their order, and the parts that they have. */
export function Contents({ page }: { page: Page }) {
  const { canChange } = useStudy();
  const change = useChange();
  const editable = canChange && page.written !== null;
  const numbers = page.segments.map((segment) => segment.number);
  const move = (place: number, by: number) => {
    const order = [...numbers];
    const [moved] = order.splice(place, 1);
    if (moved !== undefined) order.splice(place + by, 0, moved);
    change.mutate({ page, change: { order } });
  };
  const toggle = (key: string, on: boolean) => {
    const out = page.options.filter((option) => !option.on).map((option) => option.key);
    const left_out = on ? out.filter((each) => each !== key) : [...out, key];
    change.mutate({ page, change: { left_out } });
  };
  return (
    <nav aria-label="Contents" className="card sticky top-2 p-3 text-12">
      <h2 className="mb-1 text-13">Contents</h2>
      <ol>
        <li>
          <button
            type="button"
            className="min-h-[24px] hover:underline"
            onClick={() => show("cover")}
          >
            Cover
          </button>
        </li>
        {page.segments.map((segment, place) => (
          <li key={segment.number} className="group flex items-center gap-1">
            <button
              type="button"
              className="flex min-h-[24px] min-w-0 flex-1 items-center gap-1.5 text-left hover:underline"
              onClick={() => show(String(segment.number))}
            >
              <SegmentMark mark={segment.mark} size={14} />
              <span className="truncate">{segment.name}</span>
            </button>
            {editable && (
              <>
                <Move name={segment.name} up off={place === 0} onMove={() => move(place, -1)} />
                <Move
                  name={segment.name}
                  off={place === numbers.length - 1}
                  onMove={() => move(place, 1)}
                />
              </>
            )}
          </li>
        ))}
      </ol>
      {editable && (
        <>
          <h2 className="mt-3 mb-1 text-13">Parts</h2>
          <ul>
            {page.options.map((option) => (
              <li key={option.key} className="flex min-h-[24px] items-center justify-between gap-2">
                {option.title}
                <Switch
                  on={option.on}
                  label={option.title}
                  onChange={(on) => toggle(option.key, on)}
                />
              </li>
            ))}
          </ul>
        </>
      )}
    </nav>
  );
}

/** Bring a page to the top of what scrolls; the frame around it stays. */
function show(page: string) {
  const node = document.getElementById(`book-${page}`);
  const scrolls = node?.closest("main");
  if (!node || !scrolls) return;
  const top = node.getBoundingClientRect().top - scrolls.getBoundingClientRect().top;
  scrolls.scrollBy({ top: top - 8, behavior: "smooth" });
}

function Move(props: { name: string; up?: boolean; off: boolean; onMove: () => void }) {
  const { name, up = false, off, onMove } = props;
  return (
    <button
      type="button"
      disabled={off}
      aria-label={`${name} ${up ? "up" : "down"}`}
      className="min-h-[24px] min-w-[24px] text-quiet hover:text-ink disabled:opacity-25"
      onClick={onMove}
    >
      {up ? "↑" : "↓"}
    </button>
  );
}
