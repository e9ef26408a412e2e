import type { Schemas } from "@/api/client";
import { fixed, percent } from "@/charts/format";

type Page = Schemas["MapPage"];

/** How the variables lie along one component, the strongest first. */
export function Loadings({ page, component }: { page: Page; component: number }) {
  const rows = page.loadings
    .map((row) => ({ ...row, value: row.along[component] ?? 0 }))
    .sort((a, b) => Math.abs(b.value) - Math.abs(a.value))
    .slice(0, 9);
  const most = Math.max(0.01, ...rows.map((row) => Math.abs(row.value)));
  return (
    <div>
      <h2 className="text-12">
        Component {component + 1}{" "}
        <span className="font-sans font-normal text-quiet">
          explains {percent(page.explained[component] ?? 0, 1, 0)}
        </span>
      </h2>
      <ul className="mt-1">
        {rows.map((row) => (
          <li
            key={`${row.name} ${row.level}`}
            className="grid grid-cols-[minmax(0,1fr)_70px_34px] items-center gap-1 text-11"
            title={`${row.label}${row.level && `: ${row.level}`}, ${row.level ? "mean place" : "correlation"} ${fixed(row.value)}`}
          >
            <span className="truncate">
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
            <span className="text-right">
              {row.value > 0 ? "▴" : "▾"} {Math.abs(row.value).toFixed(2)}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}
