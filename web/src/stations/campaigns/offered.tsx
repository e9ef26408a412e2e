import { count, percent, within } from "@/charts/format";
import type { Row } from "@/stations/campaigns/types";

const share = (part: number) => percent(part, 1, 0);

/** What is offered, and what its like were taken up by. */
export function Offered({ offer }: { offer: NonNullable<Row["offer"]> }) {
  const { share: all, low, high, like, outside } = offer;
  const told = all !== null && low !== null && high !== null;
  return (
    <p className="mt-1" role="note" aria-label="The offer">
      Offered:{" "}
      <b className="font-semibold">
        {offer.attributes.map((each) => `${within(each.label)} ${each.value}`).join(", ")}
      </b>
      .{" "}
      {told
        ? `${share(all)} of those written to can be expected to take it up; one such offer comes out between ${share(low)} and ${share(high)}, 95 times in 100.`
        : "Its take-up cannot be told: a segment has received too few offers."}{" "}
      <span className="text-quiet">
        {like === 1 ? "One past offer is" : `${count(like)} past offers are`} like it.
        {outside > 0 &&
          ` ${count(outside)} of those written to are in no segment and not counted here.`}{" "}
        Not an effect: who received past offers was chosen.
      </span>
    </p>
  );
}
