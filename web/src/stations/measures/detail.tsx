import { useQuery, keepPreviousData } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, dayOfNumber, figure, inUnit, percent } from "@/charts/format";
import { useLens } from "@/lens/context";
import { HeldOut } from "@/stations/measures/held-out";
import { Histogram } from "@/stations/measures/histogram";
import { Options } from "@/stations/measures/options";
import { OwnActions } from "@/stations/measures/own-measure";
import { RelativePlot } from "@/stations/measures/relative";
import type { Choice, Page, Thread } from "@/stations/measures/use-measures";
import { useRows } from "@/stations/measures/use-rows";
import { useStudy } from "@/study/context";
import { CustomerLink } from "@/study/customer-link";
import { Failed } from "@/ui/status";
import { unit } from "@/study/unit";

interface Props {
  thread: Thread;
  numbers: Schemas["Numbers"];
  page: Page;
  onChoose: (choice: Choice) => void;
  onGo: (name: string) => void;
}

/** A measure opened in place: its histogram and fences, its ends, its choices and their effects. */
export function Detail({ thread, numbers, page, onChoose, onGo }: Props) {
  const { study } = useStudy();
  const view = useRows();
  const { digest } = useLens();
  const detail = useQuery({
    queryKey: ["study", study.id, "measure", thread.name, view, digest, page.plan_revision],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/measure/{name}", {
          params: {
            path: { study: study.id, name: thread.name },
            query: { ...view, ...(digest && { lens: digest }) },
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
  if (detail.isError) return <Failed words={detail.error.message} />;
  if (!detail.data) return <p className="px-3 pb-4 text-12 text-quiet">Loading …</p>;
  const found = detail.data;
  return (
    <div className="grid gap-4 px-3 pt-1 pb-4 text-12">
      <p className="max-w-[820px]">
        {thread.definition} {thread.note && <span className="text-quiet">({thread.note})</span>}
        {thread.formula && <OwnActions thread={thread} revision={page.own_revision} />}
      </p>
      <div className="grid grid-cols-[minmax(0,1.35fr)_minmax(0,1fr)_minmax(0,0.95fr)] narrow:grid-cols-[minmax(0,1fr)] gap-5">
        <div className="min-w-0">
          <Histogram thread={thread} numbers={numbers} found={found} />
          <Figures thread={thread} numbers={numbers} reliability={found.reliability} />
        </div>
        <div className="min-w-0">
          {found.relative ? (
            <RelativePlot thread={thread} relative={found.relative} page={page} onGo={onGo} />
          ) : (
            <p className="text-quiet">No other measure to hold it against.</p>
          )}
        </div>
        <Ends thread={thread} found={found} />
      </div>
      {found.check && found.model && <HeldOut check={found.check} model={found.model} />}
      {found.begins && (
        <p className="max-w-[820px]">
          The log begins on {dayOfNumber(found.begins.day)}, and {percent(found.begins.share, 1, 0)}{" "}
          of its {unit.many} were first seen within three months of that: more than join in such a
          time, so most of them came before. The model takes the first visit in the log for the
          first of all. For these {unit.many} its figures rest on the log’s months alone, and say
          nothing of the years before.
        </p>
      )}
      {thread.name === "expected" && !found.check && (
        <p className="text-quiet">
          The log is too short to hold months out, so the model is not checked.
        </p>
      )}
      <Options thread={thread} numbers={numbers} found={found} onChoose={onChoose} />
    </div>
  );
}

function Figures({
  thread,
  numbers,
  reliability,
}: {
  thread: Thread;
  numbers: Schemas["Numbers"];
  reliability: Schemas["Reliability"] | null;
}) {
  const { study } = useStudy();
  const lens = useLens();
  const f = numbers.figures;
  const words = (value: number | null) => inUnit(value, thread.unit, study.currency);
  const rows: [string, string][] = [
    ["mean", words(f.mean)],
    ["SD", words(f.sd)],
    ["lowest", words(f.low)],
    ["first quartile", words(f.quartile_1)],
    ["median", words(f.median)],
    ["third quartile", words(f.quartile_3)],
    ["highest", words(f.high)],
    ["skew", figure(f.skew)],
  ];
  return (
    <>
      <dl className="mt-2 grid grid-cols-4 gap-x-3 gap-y-1">
        {rows.map(([name, value]) => (
          <div key={name}>
            <dt className="text-11 text-quiet">{name}</dt>
            <dd>{value}</dd>
          </div>
        ))}
      </dl>
      {reliability !== null && (
        <p className="mt-2">
          <span className="text-quiet">Reliability </span>
          {reliability.value.toFixed(2)}
          <span className="text-quiet">
            , the rank correlation with the same year, had it happened again
            {reliability.mostly_luck && ": mostly luck"}.
          </span>
        </p>
      )}
      {Object.keys(f.missing).length > 0 && (
        <p className="mt-2">
          <span className="text-quiet">Without a value: </span>
          {Object.entries(f.missing).map(([reason, number], place) => (
            <span key={reason}>
              {place > 0 && ", "}
              <button
                type="button"
                className="text-teal underline"
                onClick={(event) =>
                  lens.pick(`missing:${thread.name}`, { value: reason }, event.shiftKey)
                }
              >
                {count(number)} {reason}
              </button>
            </span>
          ))}
        </p>
      )}
    </>
  );
}

function Ends({ thread, found }: { thread: Thread; found: Schemas["MeasureDetail"] }) {
  const { study } = useStudy();
  const list = (title: string, rows: Schemas["Extreme"][]) => (
    <div>
      <h3 className="mb-0.5 text-12">{title}</h3>
      <ol>
        {rows.map((row) => (
          <li key={row.number} className="flex min-h-[24px] items-center justify-between gap-2">
            <CustomerLink number={row.number} why={thread.name}>
              {row.name}
            </CustomerLink>
            <span>{inUnit(row.value, thread.unit, study.currency)}</span>
          </li>
        ))}
      </ol>
    </div>
  );
  return (
    <div className="grid content-start gap-2">
      {list("Highest", found.highest)}
      {list("Lowest", found.lowest)}
      {found.lacking.length > 0 && (
        <div>
          <h3 className="mb-0.5 text-12">Without a value, for example</h3>
          {found.lacking.slice(0, 3).map((row) => (
            <p key={row.number} className="flex min-h-[24px] items-center justify-between gap-2">
              <CustomerLink number={row.number} why={thread.name}>
                {row.name}
              </CustomerLink>
              <span className="truncate text-quiet">{row.reason}</span>
            </p>
          ))}
        </div>
      )}
    </div>
  );
}
