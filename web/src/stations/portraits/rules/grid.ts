import type { Schemas } from "@/api/client";
import { text } from "@/ui/grid";
import type { Grid, GridCell } from "@/ui/grid";

const HELD_BACK = "of customers held back";

/** The rules as a table, a line for every way to find a segment. */
export function gridOf(page: Schemas["RulesPage"]): Grid {
  const share = ({ share: value, count, of }: Schemas["ShareBody"]): GridCell => ({
    value,
    form: "share",
    words: value === null ? "–" : `${(100 * value).toFixed(0)}% (${count} of ${of})`,
  });
  return {
    title: "Rules of the segments",
    heads: ["Segment", "Rule", `Holds, ${HELD_BACK}`, `Belongs, ${HELD_BACK}`],
    rows: page.rules.flatMap((rule) =>
      rule.ways.map((way, place) => [
        text(page.columns.find((each) => each.number === rule.segment)?.name ?? ""),
        text(place > 0 ? `or ${way.words}` : way.words),
        share(rule.holds),
        share(rule.belongs),
      ]),
    ),
    note: page.status.state === "out of date" ? `Out of date: ${page.status.words ?? ""}` : "",
  };
}
