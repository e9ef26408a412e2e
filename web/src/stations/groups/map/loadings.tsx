import type { Schemas } from "@/api/client";
import { fixed, percent } from "@/charts/format";

type Page = Schemas["MapPage"];
type Row = Page["loadings"][number] & { value: number };

const MOST = 7;

/** What a component says: correlations of the numbers, and where the categories' levels stand. */
export function Loadings({ page, component }: { page: Page; component: number }) {
  const rows = page.loadings
    .map((row) => ({ ...row, value: row.along[component] ?? 0 }))
    .sort((a, b) => Math.abs(b.value) - Math.abs(a.value));
  const numbers = rows.filter((row) => !row.level);
  const levels = rows.filter((row) => row.level);
  return (
    <div>
      <h2 className="text-12">
        Component {component + 1}{" "}
        <span className="font-sans font-normal text-quiet">
          explains {percent(page.explained[component] ?? 0, 1, 0)}
        </span>
      </h2>
      <Bars title="Correlation with it" rows={numbers} most={1} />
      <Bars
        title="Mean place of who has"
        rows={levels}
        most={Math.max(0.01, ...levels.map((row) => Math.abs(row.value)))}
      />
    </div>
  );
}

function Bars({ title, rows, most }: { title: string; rows: Row[]; most: number }) {
  if (rows.length === 0) return null;
  const rest = rows.length - MOST;
  return (
    <>
      <h3 className="mt-1.5 font-sans text-11 font-normal text-quiet">{title}</h3>
      <ul aria-label={title}>
        {rows.slice(0, MOST).map((row) => (
          <li
            key={`${row.name} ${row.level}`}
            className="grid grid-cols-[minmax(0,1fr)_56px_38px] items-center gap-1 text-11"
          >
            <span className="break-words">
              {row.label}
              {row.level && <span className="text-quiet"> {row.level}</span>}
            </span>
            <span className="relative h-[7px]">
              <span className="absolute inset-y-[-2px] left-1/2 w-px bg-line" />
              <span
                className={`absolute inset-y-0 ${row.value > 0 ? "bg-above" : "bg-below"}`}
                style={{
                  left: row.value > 0 ? "50%" : `${50 - (50 * Math.abs(row.value)) / most}%`,
                  width: `${(50 * Math.abs(row.value)) / most}%`,
                }}
              />
            </span>
            <span className="text-right">{fixed(row.value)}</span>
          </li>
        ))}
      </ul>
      {rest > 0 && <p className="text-11 text-quiet">and {rest} nearer to the middle</p>}
    </>
  );
}
