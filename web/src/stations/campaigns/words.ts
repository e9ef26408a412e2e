import { count, day, fixed } from "@/charts/format";
import type { ForkPoint, Row } from "@/stations/campaigns/types";

/** A share as so many in 100: 6.4. */
export function inHundred(share: number, places = 1): string {
  return fixed(100 * share, places);
}

/** A difference of shares with its sign: +6.4. */
export function points(difference: number): string {
  const said = inHundred(difference);
  if (Number(said.replace("−", "-")) === 0) return inHundred(0);
  return difference < 0 ? said : `+${said}`;
}

/** When a campaign is, and how far. */
export function whenWords(row: Row): string {
  const sent = `${row.state === "handed over" ? "sent" : "to be sent"} ${day(row.send_on)}`;
  if (row.read) return `${sent}, read on ${day(row.read_on)} as planned`;
  return `${sent}, to be read on ${day(row.read_on)}`;
}

/** What a fork could prove, in sentences. */
export function proofWords(row: Row, fork: ForkPoint | null): string[] {
  if (row.written + row.held === 0)
    return ["Nobody is left to write to. Widen the lens and plan again."];
  const draft = row.state === "draft";
  if (!fork || fork.held === 0)
    return [`This cannot be measured: nobody is held out.${draft ? " Hold out some." : ""}`];
  if (row.base_rate === null)
    return row.untold ? [`How large a rise this finds cannot be told: ${row.untold}.`] : [];
  const advice = draft ? `: widen the lens, hold out more${poolWords(row)}` : "";
  if (fork.effect === null)
    return [
      `This cannot be measured: ${count(fork.written)} written to and ${count(fork.held)} held out are too few to tell any rise${advice}.`,
    ];
  const said = [
    `This fork finds a rise of ${inHundred(fork.effect)} points or more, 8 times in 10.`,
  ];
  if (fork.large) said.push(`Hardly a letter does as much${advice}.`);
  if (fork.segment)
    said.push(
      fork.of_segment === null
        ? `In ${fork.segment} alone nothing can be told.`
        : `In ${fork.segment} alone, ${inHundred(fork.of_segment)} points.`,
    );
  said.push(
    `Of ${count(row.learnt_from)} in the same lens one horizon earlier, ${inHundred(row.base_rate)} in 100 came unasked (95%: ${inHundred(row.base_low ?? 0)} to ${inHundred(row.base_high ?? 0)}).`,
  );
  return said;
}

/** The other campaign that a small one is best read together with. */
function poolWords({ pool }: Row): string {
  if (!pool) return "";
  return `, or pool it with ${pool.name}: together they find ${inHundred(pool.effect)} points`;
}
