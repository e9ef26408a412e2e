import type { Schemas } from "@/api/client";
import { count, figure, money, percent, within } from "@/charts/format";
import { useLens } from "@/lens/context";
import type { Answer } from "@/stations/scores/geometry";
import { heads } from "@/stations/scores/heads";
import { TierMenu } from "@/stations/scores/tier-menu";
import type { Words } from "@/stations/scores/tier-menu";
import { tiersOf } from "@/stations/scores/use-scores";
import type { Draft, Page, Tier, TierDraft } from "@/stations/scores/use-scores";
import { useStudy } from "@/study/context";
import { Select } from "@/ui/select";

const KINDS = [
  ["boxes", "fences on the field"],
  ["totals", "ranges of the total"],
  ["shares", "equal shares"],
] as const;
const MOST = 12;

interface Props {
  page: Page;
  ladder: Schemas["LadderBody"];
  /** What the tiers hold while a fence is dragged; null while none is. */
  moving: Answer[] | null;
  lit: number | null;
  onLit: (number: number | null) => void;
  onLadder: (ladder: Draft["ladder"], words: string) => void;
  onTiers: (next: (tiers: TierDraft[]) => TierDraft[], words: string) => void;
}

/** The ladder's tiers, the best on top: names, customers and money on one scale. */
export function LadderOf({ page, ladder, moving, lit, onLit, onLadder, onTiers }: Props) {
  const { canChange } = useStudy();
  const tiers = tiersOf(page);
  const told = ladder.tiers.map((tier, n) => moving?.[n] ?? tier);
  const outside = moving
    ? page.scored - moving.reduce((sum, each) => sum + each.customers, 0)
    : ladder.outside;
  // Customers and money are shares of their wholes, on one scale for both and for all tiers.
  const scale = Math.max(
    0.01,
    ...told.map((each) => each.customers / Math.max(1, page.scored)),
    ...told.map((each) => each.money / Math.max(1, page.scored_money)),
  );
  const add = () => {
    const words = { strategy: "", notes: "" };
    const name = fresh(tiers.map((tier) => tier.name));
    const ranges = Object.fromEntries(
      page.measures.map((measure) => [
        measure.name,
        [measure.bands.length, measure.bands.length] as [number, number],
      ]),
    );
    onTiers((now) => {
      const lowest = now.at(-1);
      if (ladder.kind !== "totals" || !lowest)
        return [...now, { ...words, name, low: null, high: null, ranges }];
      const least = page.totals[0]?.total ?? 0;
      const above = now.at(-2)?.low ?? least + 2;
      const low = Math.max(least + 1, Math.floor((least + above) / 2));
      return [
        ...now.slice(0, -1),
        { ...lowest, low },
        { ...words, name, low: null, high: low, ranges: {} },
      ];
    }, `${name} added.`);
  };
  return (
    <section className="card p-3" aria-label="Ladder">
      <div className="flex items-baseline justify-between gap-2">
        <h2 className="text-14">Ladder</h2>
        <Select
          label="How the ladder stands"
          className="text-12"
          value={ladder.kind}
          disabled={!canChange}
          onChange={(value) => onLadder({ kind: value, tiers: null }, "Kind of ladder changed.")}
          options={KINDS}
        />
      </div>
      <p className="mb-1 mt-0.5 text-12 text-quiet">
        {ladder.kind === "boxes"
          ? `The first tier that holds a ${page.of ? "row" : "customer"} counts. Drag a corner on the field.`
          : ladder.kind === "totals"
            ? "Drag the lines on the totals below the field."
            : "As equal as ties allow: equal totals are never split."}
      </p>
      <ol>
        {ladder.tiers.map((tier, n) => (
          <TierLine
            key={tier.number}
            tier={tier}
            told={told[n] ?? tier}
            page={page}
            scale={scale}
            lit={lit === tier.number}
            onLit={onLit}
            canChange={canChange}
            taken={tiers.map((each) => each.name.toLowerCase())}
            onWords={(change) =>
              onTiers(
                (now) => now.map((each, m) => (m === n ? { ...each, ...change } : each)),
                change.name === tier.name
                  ? `Notes on ${tier.name} changed.`
                  : `Tier renamed to ${change.name}.`,
              )
            }
            onUp={
              ladder.kind === "boxes" && n > 0
                ? () => onTiers((now) => swapped(now, n), `${tier.name} comes first.`)
                : undefined
            }
            onDrop={
              tiers.length > 1
                ? () => onTiers((now) => without(now, n, ladder.kind), `${tier.name} is gone.`)
                : undefined
            }
          />
        ))}
      </ol>
      <p className="mt-1.5 flex items-baseline justify-between text-12">
        <span className={outside > 0 ? "text-below" : "text-quiet"}>
          {outside > 0 ? `${count(outside)} are in no tier` : "Everyone with a score has a tier."}
        </span>
        {canChange && tiers.length < MOST && (
          <button type="button" className="underline" onClick={add}>
            Add a tier
          </button>
        )}
      </p>
      {!ladder.proposed && canChange && (
        <button
          type="button"
          className="text-12 text-quiet underline hover:text-ink"
          onClick={() => onLadder({ kind: ladder.kind, tiers: null }, "Ladder reset.")}
        >
          Reset the ladder
        </button>
      )}
    </section>
  );
}

function swapped(tiers: TierDraft[], n: number): TierDraft[] {
  const [one, other] = [tiers[n - 1], tiers[n]];
  if (!one || !other) return tiers;
  return tiers.map((tier, m) => (m === n - 1 ? other : m === n ? one : tier));
}

/** The tiers without one; a range of totals goes to the tier below it. */
function without(tiers: TierDraft[], n: number, kind: string) {
  const rest = tiers.filter((_, m) => m !== n);
  if (kind !== "totals") return rest;
  const gone = tiers[n];
  return rest.map((tier, m) =>
    m === n
      ? { ...tier, high: gone?.high ?? null }
      : m === n - 1 && n === rest.length
        ? { ...tier, low: null }
        : tier,
  );
}

function fresh(names: string[]): string {
  for (let n = names.length + 1; ; n++) if (!names.includes(`Tier ${n}`)) return `Tier ${n}`;
}

interface LineProps {
  tier: Tier;
  told: Answer;
  page: Page;
  scale: number;
  lit: boolean;
  canChange: boolean;
  taken: string[];
  onLit: (number: number | null) => void;
  onWords: (words: Words) => void;
  onUp?: () => void;
  onDrop?: () => void;
}

function TierLine(props: LineProps) {
  const { tier, told, page, scale, lit, canChange, taken, onLit, onWords, onUp, onDrop } = props;
  const { study } = useStudy();
  const lens = useLens();
  const mostMoney = Math.max(1, page.scored_money);
  const share = told.customers / Math.max(1, page.scored);
  const spend = told.money / mostMoney;
  const words = `${tier.name}: ${heads(told.customers, page.of)}, ${money(told.money, study.scale, study.currency)}`;
  return (
    <li
      className={`group border-t border-line py-1.5 ${lit ? "bg-paper" : ""}`}
      onMouseEnter={() => onLit(tier.number)}
      onMouseLeave={() => onLit(null)}
    >
      <div className="flex items-center gap-1.5">
        <span className="grid size-[16px] shrink-0 place-items-center rounded bg-ink text-11 text-white">
          {tier.number}
        </span>
        <button
          type="button"
          className="min-w-0 flex-1 truncate text-left font-semibold hover:underline"
          title={words}
          disabled={page.of !== ""}
          onFocus={() => onLit(tier.number)}
          onBlur={() => onLit(null)}
          onClick={(event) => lens.pick("tier:now", { value: String(tier.number) }, event.shiftKey)}
        >
          {tier.name}
        </button>
        {canChange && (
          <TierMenu tier={tier} taken={taken} onWords={onWords} onUp={onUp} onDrop={onDrop} />
        )}
      </div>
      <div className="mt-1 grid grid-cols-[1fr_92px] items-center gap-x-2 text-12">
        <span
          className="h-[6px] bg-everyone"
          style={{ width: `${Math.min(100, (100 * share) / scale)}%` }}
        />
        <span className="text-right">
          {count(told.customers)}{" "}
          <span className="text-quiet">{percent(told.customers, page.scored, 0)}</span>
        </span>
        <span
          className="h-[6px] border border-quiet"
          style={{ width: `${Math.min(100, Math.max(0, (100 * spend) / scale))}%` }}
        />
        <span className="text-right">
          {money(told.money, study.scale, study.currency)}{" "}
          <span className="text-quiet">{percent(told.money, mostMoney, 0)}</span>
        </span>
      </div>
      {tier.strategy && <p className="mt-1 break-words text-12">{tier.strategy}</p>}
      <p className="text-11 text-quiet">
        {tier.hidden ? "The tiers above it leave nothing of it." : rangeWords(tier, page)}
      </p>
      {tier.notes && (
        <details className="text-12">
          <summary className="cursor-pointer text-quiet">Notes</summary>
          <p className="whitespace-pre-wrap break-words">{tier.notes}</p>
        </details>
      )}
    </li>
  );
}

function rangeWords(tier: Tier, page: Page): string {
  if (page.ladder?.kind !== "boxes")
    return tier.low === null
      ? `totals below ${figure(tier.high)}`
      : tier.high === null
        ? `totals from ${figure(tier.low)}`
        : `totals from ${figure(tier.low)} to below ${figure(tier.high)}`;
  const parts = tier.ranges.flatMap(([low, high], n) => {
    const measure = page.measures[n];
    if (!measure || (low === 1 && high === measure.bands.length)) return [];
    return [`${within(measure.label)} ${low === high ? low : `${low} to ${high}`}`];
  });
  return parts.length ? parts.join(", ") : "every band";
}
