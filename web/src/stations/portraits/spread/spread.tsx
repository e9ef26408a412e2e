import { useRef } from "react";

import { count } from "@/charts/format";
import { ColumnMark } from "@/marks/column-mark";
import { AgainstChoice } from "@/stations/portraits/compared";
import { PickRows } from "@/stations/portraits/threads/pick-rows";
import { SpreadLines } from "@/stations/portraits/spread/lines";
import { SpreadPanel } from "@/stations/portraits/spread/panel";
import { gridOf } from "@/stations/portraits/spread/grid";
import { FORMS, SCALES, useSpread, useSpreadAddress } from "@/stations/portraits/spread/use-spread";
import type { Page } from "@/stations/portraits/spread/use-spread";
import { Stale } from "@/study/status-banner";
import { TakeAway } from "@/study/take-away";
import { Choice } from "@/ui/choice";
import { Empty, Failed, Waiting } from "@/ui/status";
import { Switch } from "@/ui/switch";
import { unit } from "@/study/unit";

/** Boxes or lines, in own units or among everyone. */
export function SpreadChoices() {
  const { form, scale, put } = useSpreadAddress();
  return (
    <div className="flex flex-wrap items-center gap-2 text-12">
      <AgainstChoice />
      <Choice
        label="How the spread is drawn"
        choices={FORMS}
        value={form}
        onChoose={(next) => void put({ form: next === "boxes" ? null : next })}
      />
      <Choice
        label="What scale it is drawn on"
        choices={SCALES}
        value={scale}
        onChoose={(next) => void put({ scale: next })}
      />
    </div>
  );
}

/** Spread: how far the customers of every column lie apart on each measure. */
export function SpreadView() {
  const at = useSpreadAddress();
  const spread = useSpread();
  const frame = useRef<HTMLDivElement>(null);
  if (spread.isPending) return <Waiting />;
  if (spread.isError) return <Failed words={spread.error.message} />;
  const page = spread.data;
  if (page.panels.length === 0)
    return (
      <Empty title="No number to spread">
        These {unit.many} have no measure or trait that is a number. Categories stand at Threads.
      </Empty>
    );
  const shown = page.panels.map((panel) => panel.name);
  const toggle = (name: string) =>
    void at.put({
      panels: shown.includes(name) ? shown.filter((each) => each !== name) : [...shown, name],
    });
  return (
    <Stale status={page.status}>
      <section className="card p-3" aria-label="Spread of the measures">
        <div className="mb-2 flex items-center justify-between gap-3">
          <Legend page={page} lines={at.form === "lines"} />
          <span className="flex shrink-0 items-center gap-2">
            {at.form === "lines" && (
              <label className="flex items-center gap-1.5 text-12 text-quiet">
                <Switch
                  on={at.some}
                  label={`Some ${unit.many} behind`}
                  onChange={(on) => void at.put({ some: on || null })}
                />
                {unit.many} behind
              </label>
            )}
            <PickRows
              words={`${shown.length} measures`}
              options={page.options}
              shown={shown}
              onToggle={toggle}
            />
            <TakeAway name="spread" grid={() => gridOf(page)} picture={() => frame.current} />
          </span>
        </div>
        <div ref={frame}>
          {at.form === "lines" ? (
            <SpreadLines
              page={page}
              scale={at.scale}
              turned={at.turned}
              onOrder={(names) => void at.put({ panels: names })}
              onTurn={(name) =>
                void at.put({
                  turned: at.turned.includes(name)
                    ? at.turned.filter((each) => each !== name)
                    : [...at.turned, name],
                })
              }
            />
          ) : (
            <div className="grid grid-cols-[repeat(auto-fill,minmax(min(286px,100%),1fr))] gap-x-6 gap-y-4">
              {page.panels.map((panel) => (
                <SpreadPanel key={panel.name} page={page} panel={panel} scale={at.scale} />
              ))}
            </div>
          )}
        </div>
      </section>
      <Sentences page={page} />
    </Stale>
  );
}

function Legend({ page, lines }: { page: Page; lines: boolean }) {
  if (!lines)
    return (
      <p className="text-11 text-quiet">
        Tick: median; box: middle half; line: nine in ten. Pick a box, and its middle half is the
        lens.
      </p>
    );
  return (
    <p className="flex flex-wrap gap-x-3 gap-y-1 text-12">
      {page.columns.map((head) => (
        <span key={head.number} className="flex items-center gap-1">
          <ColumnMark head={head} size={14} /> {head.name}
        </span>
      ))}
      {page.lines.length > 0 && (
        <span className="text-11 text-quiet">
          {count(page.lines.length)} of {count(page.sampled)} {unit.many} behind
        </span>
      )}
    </p>
  );
}

function Sentences({ page }: { page: Page }) {
  if (!page.furthest && !page.hardest) return null;
  return (
    <section className="card grid grid-cols-2 gap-4 p-3" aria-label="Far and near">
      {page.furthest && (
        <div>
          <h2 className="text-13">Furthest apart</h2>
          <p className="mt-0.5 text-12">{page.furthest}</p>
        </div>
      )}
      {page.hardest && (
        <div>
          <h2 className="text-13">Hardest to tell</h2>
          <p className="mt-0.5 text-12">{page.hardest}</p>
        </div>
      )}
    </section>
  );
}
