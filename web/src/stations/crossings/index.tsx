import { Cohorts } from "@/stations/crossings/cohorts";
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
  ["yardstick", "Yardstick"],
] as const;
const LOOKED_AT = { look: word };

/** Crossings: who moved, told from chance; who came again; whether the yardstick still fits. */
export function Crossings() {
  const [at, put] = useAddress(LOOKED_AT);
  const look = chosen(VIEWS, at.look);
  const tabs = <Views views={VIEWS} view={look} onView={(next) => void put({ look: next })} />;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <PageHeader
        title="Crossings"
        words="Who moves between segments from date to date. Most moves are chance; here it is told which are not."
      />
      {look === "ribbons" ? <RibbonsView tabs={tabs} /> : tabs}
      {look === "paths" && <Paths />}
      {look === "cohorts" && <Cohorts />}
      {look === "yardstick" && <Yardstick />}
    </div>
  );
}
