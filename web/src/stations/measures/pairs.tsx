import { OnePair } from "@/stations/measures/one-pair";
import { PairMatrix } from "@/stations/measures/pair-matrix";
import type { Page } from "@/stations/measures/use-measures";
import { PAIRED } from "@/stations/measures/paired";
import { useAddress } from "@/study/address";

const MOST = 5;

/** Any two measures as points, or several as a matrix of small pictures. */
export function Pairs({ page }: { page: Page }) {
  const [{ x, y, names: asked }, put] = useAddress(PAIRED);
  const numbers = page.threads.filter((thread) => thread.numbers && thread.family !== "offers");
  const shaping = numbers.filter((thread) => thread.role === "shapes").map((thread) => thread.name);
  if (x && y)
    return (
      <OnePair
        page={page}
        numbers={numbers}
        x={x}
        y={y}
        onPair={(a, b) => void put({ x: a, y: b })}
        onAll={() => void put({ x: null, y: null })}
      />
    );
  const usual = shaping.length >= 2 ? shaping : numbers.map((thread) => thread.name);
  const names = (asked.length ? asked : usual.slice(0, MOST)).filter((name) =>
    numbers.some((thread) => thread.name === name),
  );
  return (
    <PairMatrix
      page={page}
      numbers={numbers}
      names={names}
      onNames={(next) => void put({ names: next })}
      onPair={(a, b) => void put({ x: a, y: b })}
    />
  );
}
