import type { ReactNode } from "react";

import { Cohorts } from "@/stations/crossings/cohorts";
import { Next } from "@/stations/crossings/next";
import { Paths } from "@/stations/crossings/paths";
import { RibbonsView } from "@/stations/crossings/ribbons-view";
import { Yardstick } from "@/stations/crossings/yardstick";
import { useAddress, word } from "@/study/address";
import { chosen } from "@/ui/chosen";
import { PageHeader } from "@/ui/page-header";
import { Views } from "@/ui/views";

const VIEWS = [
  ["ribbons", "Ribbons"],
  ["paths", "Paths"],
  ["cohorts", "Cohorts"],
  ["next", "Next"],
  ["yardstick", "Yardstick"],
] as const;
const LOOKED_AT = { look: word, dates: word };

/** Crossings: who moved, told from chance; who came again; whether the yardstick still fits. */
export function Crossings() {
  const [at, put] = useAddress(LOOKED_AT);
  const look = chosen(VIEWS, at.look);
  const tabs = <Views views={VIEWS} view={look} onView={(next) => void put({ look: next })} />;
  const head = (action?: ReactNode) => (
    <PageHeader
      title="Crossings"
      words="Who moves between segments from date to date. Most moves are chance; here it is told which are not."
    >
      {action}
    </PageHeader>
  );
  const by = { dates: at.dates, onDates: (dates: string) => void put({ dates }) };
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      {look === "ribbons" && <RibbonsView head={head} tabs={tabs} {...by} />}
      {look === "paths" && <Paths head={head} tabs={tabs} {...by} />}
      {look !== "ribbons" && look !== "paths" && (
        <>
          {head()}
          {tabs}
        </>
      )}
      {look === "cohorts" && <Cohorts />}
      {look === "next" && <Next />}
      {look === "yardstick" && <Yardstick />}
    </div>
  );
}
