import { count, day, fixed } from "@/charts/format";
import type { ForkPoint, Result, Row } from "@/stations/campaigns/types";

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
  if (!fork || fork.held === 0)
    return ["This cannot be measured: nobody is held out. Hold out some."];
  if (row.base_rate === null) return [`How large a rise this finds cannot be told: ${row.untold}.`];
  if (fork.effect === null)
    return [
      `This cannot be measured: ${count(fork.written)} written to and ${count(fork.held)} held out are too few to tell any rise. Widen the lens, or hold out more.`,
    ];
  const said = [
    `This fork finds a rise of ${inHundred(fork.effect)} points or more, 8 times in 10.`,
  ];
  if (fork.large) said.push("Hardly a letter does as much: hold out more, or widen the lens.");
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

/** The main sentence of a result: what stands out in it, and the rest. */
export function resultWords(row: Row, result: Result): { strong: string; rest: string } {
  const told = result.returned;
  if (!told) return { strong: "", rest: result.lacks };
  const between = `(${inHundred(told.low ?? 0)} to ${inHundred(told.high ?? 0)}, 95%)`;
  const likely = result.likely_on
    ? ` At this pace it is likely to be told by ${day(result.likely_on)}.`
    : "";
  if (!result.final)
    return {
      strong: `So far, ${result.days} of ${result.horizon} days: ${points(told.difference)} in 100`,
      rest: ` ${between}. No verdict before ${day(row.read_on)}.${likely}`,
    };
  if (result.verdict === "cannot tell")
    return {
      strong: "Whether more came back cannot be told:",
      rest: ` ${points(told.difference)} in 100 ${between}.${likely}`,
    };
  const more = told.difference > 0;
  return {
    strong: `${inHundred(Math.abs(told.difference))} ${more ? "more" : "fewer"} in 100 came back`,
    rest: ` than would have unasked ${between}. Had nothing been sent, ${luck(result.by_luck ?? 0)} would look like this or ${more ? "better" : "worse"}.`,
  };
}

/** Whether the draw made two arms that are alike. */
export function balanceWords(balance: NonNullable<Result["balance"]>): string {
  const many = balance.looked_at;
  if (many === 0) return "";
  if (balance.uneven.length === 0)
    return `The arms are alike: in all ${many} measures that shape groups they differ by less than a tenth of a standard deviation.`;
  const rows = balance.uneven.map((row) => `${row.label} (${fixed(row.gap)})`).join(", ");
  return `The arms differ by a tenth of a standard deviation or more in ${rows}, of ${many} measures; arms of this size differ by up to ${fixed(balance.by_chance)} by chance.`;
}

function luck(share: number): string {
  if (share < 0.0005) return "fewer than 1 such campaign in 2,000";
  const [many, of] = share < 0.01 ? [1000 * share, "1,000"] : [100 * share, "100"];
  return `${fixed(many, 0)} such campaign${Math.round(many) === 1 ? "" : "s"} in ${of}`;
}

/** What stands below it: how it was read, spend, who would have come anyway. */
export function besideWords(result: Result, inMoney: (value: number) => string): string {
  const said = ["By everyone drawn, opened or not."];
  const spend = result.spend;
  const best = spend?.adjusted ?? spend?.plain;
  if (spend && best) {
    const gap = (value: number) =>
      `${inMoney(Math.abs(value))} a head ${value < 0 ? "less" : "more"}`;
    const between =
      best.low === null || best.high === null
        ? "too few bought for an interval"
        : `${inMoney(best.low)} to ${inMoney(best.high)}`;
    const how = [
      spend.cap !== null && `capped at ${inMoney(spend.cap)}`,
      spend.adjusted && "adjusted for earlier spend",
    ].filter(Boolean);
    said.push(
      `Spend: ${gap(best.difference)} (${between})${how.length ? `, ${how.join(" and ")}` : ""}.`,
    );
    if (spend.adjusted) said.push(`As it is: ${gap(spend.plain.difference)}.`);
  }
  if (result.anyway !== null && result.verdict === "more")
    said.push(
      `Of those written to who came, ${inHundred(result.anyway, 0)} in 100 would have come anyway.`,
    );
  return said.join(" ");
}
