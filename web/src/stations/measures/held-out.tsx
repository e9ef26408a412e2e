import type { Schemas } from "@/api/client";
import { count, dayOfNumber, figure, fixed } from "@/charts/format";
import { Picture } from "@/charts/picture";
import { Column, RowHead, Table } from "@/ui/table";
import { unit } from "@/study/unit";

const W = 330;
const H = 110;

/** The model of visits, fitted on the log before and held against months that it has not seen. */
export function HeldOut({
  check,
  model,
}: {
  check: Schemas["HeldOutBody"];
  model: Schemas["ModelBody"];
}) {
  const most = Math.max(1, ...check.expected, ...check.observed);
  const step = W / check.ends.length;
  const y = (value: number) => H - (value / most) * (H - 8);
  const share = (value: number | null) =>
    value === null ? "–" : `${Math.abs(value * 100).toFixed(0)}% too ${value < 0 ? "few" : "many"}`;
  const line = check.expected.map((v, n) => `${(n + 0.5) * step},${y(v)}`).join(" L");
  return (
    <section aria-label="Check on held-out months">
      <h3 className="text-13">Does the model hold?</h3>
      <p className={`mt-0.5 max-w-[820px] ${check.fits ? "text-quiet" : "text-alarm"}`}>
        {check.fits
          ? `Yes: fitted on the log before ${dayOfNumber(check.split)}, it expected ${share(check.error)} visits over the months after, ${share(check.worst)} in the worst of them.`
          : `It does not fit: fitted on the log before ${dayOfNumber(check.split)}, it expected ${share(check.error)} visits over the months after, and ${share(check.worst)} in the worst of them. The model knows no seasons: use it to rank ${unit.many}, not to count visits.`}
        {!model.converged && " Its parameters lie at the edge of what can be told apart."}
      </p>
      <div className="mt-2 grid grid-cols-[350px_1fr] narrow:grid-cols-[minmax(0,1fr)] gap-6">
        <Picture
          viewBox={`-36 -4 ${W + 40} ${H + 24}`}
          className="w-full"
          label="Visits a month: bars observed, line expected"
        >
          {check.observed.map((seen, n) => (
            <g key={check.ends[n]}>
              <rect
                x={n * step + 6}
                width={step - 12}
                y={y(seen)}
                height={H - y(seen)}
                fill="var(--color-everyone)"
              >
                <title>{`${count(seen)} observed, ${figure(Math.round(check.expected[n] ?? 0))} expected`}</title>
              </rect>
              <text
                x={(n + 0.5) * step}
                y={H + 13}
                fontSize={11}
                textAnchor="middle"
                className="fill-quiet"
              >
                {dayOfNumber(check.ends[n] ?? 0).slice(-8, -5)}
              </text>
            </g>
          ))}
          <path d={`M${line}`} fill="none" stroke="var(--color-ink)" strokeWidth={1.6} />
          {check.expected.map((v, n) => (
            <circle key={n} cx={(n + 0.5) * step} cy={y(v)} r={3} fill="var(--color-ink)" />
          ))}
          <line x1={0} x2={W} y1={H} y2={H} stroke="var(--color-quiet)" />
          <g fontSize={11} className="[&_text]:fill-quiet">
            <text x={-4} y={8} textAnchor="end">
              {count(Math.round(most))}
            </text>
            <text x={-4} y={H} textAnchor="end">
              0
            </text>
          </g>
        </Picture>
        <div>
          <p className="text-11 text-quiet">
            Bars: visit days observed. Line: expected, of {count(check.customers)} {unit.many} known
            before.
          </p>
          <Table label="Expected and observed, by visits before" className="mt-1">
            <thead>
              <tr className="text-left text-quiet">
                <Column className="pr-4">visit days before</Column>
                <Column figures className="pr-4">
                  {unit.many}
                </Column>
                <Column figures className="pr-4">
                  expected per {unit.one}
                </Column>
                <Column figures>observed</Column>
              </tr>
            </thead>
            <tbody>
              {check.classes.map((least, n) => {
                const [customers = 0, expected = 0, observed = 0] = check.by_class[n] ?? [];
                const next = check.classes[n + 1];
                return (
                  <tr key={least}>
                    <RowHead>
                      {next === undefined
                        ? `${least} and more`
                        : next - 1 === least
                          ? least
                          : `${least} to ${next - 1}`}
                    </RowHead>
                    <td className="pr-4 text-right">{count(customers)}</td>
                    <td className="pr-4 text-right">{fixed(expected)}</td>
                    <td className="text-right">{fixed(observed)}</td>
                  </tr>
                );
              })}
            </tbody>
          </Table>
        </div>
      </div>
    </section>
  );
}
