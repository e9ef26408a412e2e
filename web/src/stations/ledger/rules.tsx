import { useRef, useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, money } from "@/charts/format";
import { OwnRule } from "@/stations/ledger/own-rule";
import { ALL_LINES } from "@/stations/ledger/picked";
import type { PickedLines } from "@/stations/ledger/picked";
import { useLedgerChange } from "@/stations/ledger/queries";
import { ReturnsDay } from "@/stations/ledger/returns";
import { StaffCards } from "@/stations/ledger/staff";
import { Swatch } from "@/stations/ledger/textures";
import { useStudy } from "@/study/context";
import { queueWrite } from "@/study/write-queue";
import { Switch } from "@/ui/switch";

interface Props {
  page: Schemas["LedgerPage"];
  picked: PickedLines;
  onPick: (picked: PickedLines) => void;
  onHover: (rule: string) => void;
}

const GRID = "grid grid-cols-[28px_18px_1fr_54px_60px_66px] gap-2";

/** The rules are the legend: switch, texture, what each meets. Resting on one tries it the other way. */
export function Rules({ page, picked, onPick, onHover }: Props) {
  const { study, canChange } = useStudy();
  const [all, setAll] = useState(false);
  const timer = useRef(0);
  const change = useLedgerChange(
    ({ rule, on }: { rule: Schemas["RuleRow"]; on: boolean }) =>
      queueWrite(`rules ${study.id}`, page.revision, (headers) =>
        data(
          api.PUT("/api/studies/{study}/ledger/rules/{rule}", {
            params: { path: { study: study.id, rule: rule.key } },
            body: { on },
            headers,
          }),
        ),
      ),
    ({ rule, on }) => `“${rule.name}” is ${on ? "on" : "off"}: ${count(rule.lines)} lines.`,
  );
  const hover = (key: string) => {
    window.clearTimeout(timer.current);
    timer.current = window.setTimeout(() => onHover(key), key ? 150 : 0);
  };
  // Rules that meet nothing wait below, but for the staff list, which has to be written somewhere.
  const idle = page.rules.filter((rule) => rule.lines === 0 && !rule.own && rule.key !== "staff");
  const shown = page.rules.filter((rule) => all || !idle.includes(rule));
  return (
    <section className="card p-3" aria-label="Rules">
      <div className={`mb-1 items-baseline ${GRID}`}>
        <h2 className="col-span-3 text-14">Set aside, by rule</h2>
        {["lines", "customers", "money"].map((head) => (
          <span key={head} className="text-right text-11 text-quiet">
            {head}
          </span>
        ))}
      </div>
      <ul>
        {shown.map((rule) => {
          const chosen = picked.rule === rule.key;
          return (
            <li
              key={rule.key}
              onPointerEnter={() => hover(rule.fixed ? "" : rule.key)}
              onPointerLeave={() => hover("")}
              className={`items-center border-t border-line py-[5px] max-[480px]:[&>*:nth-child(3)]:col-span-4 max-[480px]:[&>*:nth-child(4)]:col-start-4 ${GRID} ${chosen ? "bg-paper" : ""}`}
              title={rule.explanation + (rule.fixed ? ` ${rule.fixed}` : "")}
            >
              <Switch
                on={rule.on}
                label={rule.name}
                disabled={!!rule.fixed || !canChange || change.isPending}
                onChange={(on) => change.mutate({ rule, on })}
              />
              <Swatch rule={rule.key} />
              <span className="flex min-w-0 flex-wrap items-baseline gap-x-1.5">
                <button
                  type="button"
                  className={`max-w-full truncate text-left ${rule.on ? "" : "text-quiet"} ${chosen ? "font-semibold" : ""}`}
                  onClick={() =>
                    onPick(chosen ? { ...picked, rule: "" } : { ...ALL_LINES, rule: rule.key })
                  }
                  onFocus={() => hover(rule.fixed ? "" : rule.key)}
                  onBlur={() => hover("")}
                >
                  {rule.name}
                </button>
                <Beside rule={rule} page={page} />
              </span>
              <span className="text-right">{count(rule.lines)}</span>
              <span className="text-right">{count(rule.customers)}</span>
              <span className="text-right">{money(rule.money, study.scale, study.currency)}</span>
            </li>
          );
        })}
      </ul>
      <div className="flex items-baseline gap-3 border-t border-line pt-2 text-12">
        {canChange && page.choices && page.choices.own.length < 8 && (
          <OwnRule choices={page.choices} />
        )}
        {idle.length > 0 && (
          <button
            type="button"
            aria-expanded={all}
            className="text-quiet underline hover:text-ink"
            onClick={() => setAll(!all)}
          >
            {all ? "without those that meet no line" : `${idle.length} more meet no line`}
          </button>
        )}
      </div>
      <p className="min-h-[17px] pt-1.5 text-12 text-quiet">
        {page.preview
          ? `Switched the other way, ${count(page.preview.counted)} lines would count, ${money(page.preview.counted_total, study.scale, study.currency)}.`
          : "A line that meets several belongs to the first that is on."}
      </p>
    </section>
  );
}

/** What can be said more closely about a rule, beside its name. */
function Beside({ rule, page }: { rule: Schemas["RuleRow"]; page: Schemas["LedgerPage"] }) {
  const { study, canChange } = useStudy();
  const choices = page.choices;
  if (!choices) return null;
  if (rule.key === "staff")
    return <StaffCards staff={choices.staff} revision={choices.revisions.staff ?? 0} />;
  if (rule.key === "returns" && !rule.on) return <ReturnsDay choices={choices} />;
  if (rule.key === "extreme" && choices.fence !== null)
    return (
      <span className="truncate text-11 text-quiet">
        over {money(choices.fence, study.scale, study.currency)}
      </span>
    );
  const own = choices.own.find((row) => row.key === rule.key);
  return own && canChange ? <OwnRule choices={choices} own={own} /> : null;
}
