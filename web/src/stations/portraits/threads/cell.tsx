import { pickable } from "@/charts/pickable";
import type { Clause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { strength } from "@/stations/portraits/threads/grid";
import { wordsOf } from "@/stations/portraits/threads/cells";
import type { Told } from "@/stations/portraits/threads/cells";

interface Props {
  told: Told;
  deviation: number | null;
  /** The deviation that is shaded deepest; 0: no shade. */
  deepest: number;
  chosen: boolean;
  /** All that is known of it, said at the foot while it is pointed at. */
  note: string;
  onNote: (note: string) => void;
  /** The customers it speaks of, where a lens can name them. */
  clauses: Clause[];
}

const SIGNED = 0.8;

/** A figure, shaded by how far it stands from everyone; picked, it narrows the lens. */
export function Cell({ told, deviation, deepest, chosen, note, onNote, clauses }: Props) {
  const lens = useLens();
  const away = deviation ?? 0;
  const colour = away > 0 ? "var(--color-above)" : "var(--color-below)";
  const deep = deepest > 0 ? strength(deviation, deepest) : 0;
  const sign = deepest > 0 && Math.abs(away) >= SIGNED ? (away > 0 ? "▴" : "▾") : "";
  const [last] = clauses.slice(-1);
  const mark = last
    ? pickable({
        label: note,
        onPick: (more) => lens.take(clauses, more),
        onTry: (resting) => {
          onNote(resting ? note : "");
          lens.preview(resting ? last : null);
        },
      })
    : { title: note };
  return (
    <td className={`p-0.5 ${chosen ? "border-x-2 border-x-ink" : ""}`}>
      <span
        {...mark}
        className={`flex items-center justify-between gap-1 rounded px-1.5 ${told.lead ? "min-h-[24px] py-0.5 text-12" : "py-2 text-13"} ${last ? "cursor-pointer" : ""}`}
        style={{
          background: `color-mix(in srgb, ${colour} ${(100 * deep).toFixed(0)}%, transparent)`,
        }}
      >
        <span aria-hidden className="text-11" style={{ color: colour }}>
          {sign}
        </span>
        {told.lead ? (
          <span className="min-w-0 flex-1 leading-[14px]" title={wordsOf(told)}>
            {told.lead} {told.words} <Unit words={told.unit} />
          </span>
        ) : (
          <span className="text-right">
            {told.words}
            <Unit words={told.unit} />
          </span>
        )}
      </span>
    </td>
  );
}

/** The unit behind a figure, in small. */
export function Unit({ words }: { words: string }) {
  if (!words) return null;
  return (
    <span className="text-11 whitespace-nowrap text-ink/80">
      {words.startsWith("/") ? words : ` ${words}`}
    </span>
  );
}
