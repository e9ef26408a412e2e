import { useRef } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, money } from "@/charts/format";
import type { PickedLines } from "@/stations/ledger";
import { useLedgerChange } from "@/stations/ledger/queries";
import { StaffCards } from "@/stations/ledger/staff";
import { Swatch } from "@/stations/ledger/textures";
import { useStudy } from "@/study/context";
import { inTurn } from "@/study/in-turn";
import { Switch } from "@/ui/switch";

interface Props {
  page: Schemas["LedgerPage"];
  picked: PickedLines;
  onPick: (picked: PickedLines) => void;
  onHover: (rule: string) => void;
}

/** The rules are the legend: switch, texture, what each meets. Resting on one tries it the other way. */
export function Rules({ page, picked, onPick, onHover }: Props) {
  const { study, canChange } = useStudy();
  const timer = useRef(0);
  const change = useLedgerChange(
    ({ rule, on }: { rule: Schemas["RuleRow"]; on: boolean }) =>
      inTurn(`rules ${study.id}`, page.revision, (headers) =>
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
  return (
    <section className="card p-3" aria-label="Rules">
      <div className="mb-1 grid grid-cols-[28px_18px_1fr_56px_72px] items-baseline gap-2">
        <h2 className="col-span-3 text-14">Set aside, by rule</h2>
        <span className="text-right text-11 text-quiet">lines</span>
        <span className="text-right text-11 text-quiet">money</span>
      </div>
      <ul>
        {page.rules.map((rule, place) => {
          const chosen = picked.rule === rule.key;
          return (
            <li
              key={rule.key}
              onPointerEnter={() => hover(rule.fixed ? "" : rule.key)}
              onPointerLeave={() => hover("")}
              className={`grid grid-cols-[28px_18px_1fr_56px_72px] items-center gap-2 border-t border-line py-1.5 ${chosen ? "bg-paper" : ""}`}
              title={rule.explanation + (rule.fixed ? ` ${rule.fixed}` : "")}
            >
              <Switch
                on={rule.on}
                label={rule.name}
                disabled={!!rule.fixed || !canChange || change.isPending}
                onChange={(on) => change.mutate({ rule, on })}
              />
              <Swatch rule={place} />
              <span className="flex min-w-0 items-baseline gap-1.5">
                <button
                  type="button"
                  className={`truncate text-left ${rule.on ? "" : "text-quiet"} ${chosen ? "font-semibold" : ""}`}
                  onClick={() =>
                    onPick(
                      chosen ? { month: picked.month, rule: "" } : { month: null, rule: rule.key },
                    )
                  }
                  onFocus={() => hover(rule.fixed ? "" : rule.key)}
                  onBlur={() => hover("")}
                >
                  {rule.name}
                  {rule.fixed && <span className="text-11 text-quiet"> always</span>}
                </button>
                {rule.key === "staff" && page.staff && <StaffCards staff={page.staff} />}
              </span>
              <span className="text-right">{count(rule.lines)}</span>
              <span className="text-right">{money(rule.money, study.scale, study.currency)}</span>
            </li>
          );
        })}
      </ul>
      <p className="min-h-[17px] pt-1.5 text-12 text-quiet">
        {page.preview
          ? `Switched the other way, ${count(page.preview.counted)} lines would count, ${money(page.preview.counted_total, study.scale, study.currency)}.`
          : "A line that meets several belongs to the first that is on."}
      </p>
    </section>
  );
}
