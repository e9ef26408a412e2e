import { OnePair } from "@/stations/measures/one-pair";
import { PairMatrix } from "@/stations/measures/pair-matrix";
import type { Page } from "@/stations/measures/use-measures";
import { useUrlState } from "@/study/url-state";

const MOST = 5;

/** Any two measures as points, or several as a matrix of small pictures. */
export function Pairs({ page }: { page: Page }) {
  const [search, put] = useUrlState();
  const numbers = page.threads.filter((thread) => thread.numbers && thread.family !== "offers");
  const shaping = numbers.filter((thread) => thread.role === "shapes").map((thread) => thread.name);
  const [x, y] = [search.get("x") ?? "", search.get("y") ?? ""];
  if (x && y)
    return (
      <OnePair
        page={page}
        numbers={numbers}
        x={x}
        y={y}
        onPair={(a, b) => put({ x: a, y: b })}
        onAll={() => put({ x: "", y: "" })}
      />
    );
  const asked = search.get("names")?.split(",").filter(Boolean);
  const usual = shaping.length >= 2 ? shaping : numbers.map((thread) => thread.name);
  const names = (asked ?? usual.slice(0, MOST)).filter((name) =>
    numbers.some((thread) => thread.name === name),
  );
  return (
    <PairMatrix
      page={page}
      numbers={numbers}
      names={names}
      onNames={(next) => put({ names: next.join(",") })}
      onPair={(a, b) => put({ x: a, y: b })}
    />
  );
}
