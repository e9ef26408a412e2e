import type { ReactNode } from "react";

import type { Schemas } from "@/api/client";
import { AgainstChoice } from "@/stations/portraits/compared";
import { SHADES, VALUES } from "@/stations/portraits/threads/cells";
import { SEPARATION, useThreadsAddress } from "@/stations/portraits/threads/use-threads";
import { Select } from "@/ui/select";
import type { Options } from "@/ui/select";

/** How the table is looked at, as a sentence whose parts can be chosen. */
export function Choices({ page }: { page: Schemas["PortraitsPage"] }) {
  const { show, shade, by, order, put } = useThreadsAddress();
  const columns: Options<string> = page.columns.map((column) => [
    String(column.number),
    `how far ${column.name} stands off`,
  ]);
  const orders: Options<string> = [["separation", "separation"], ["name", "name"], ...columns];
  const asUsual = (value: string, usual: string) => (value === usual ? null : value);
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1 text-12 text-quiet">
      <Part>
        Cells show
        <Select
          look="word"
          label="What cells show"
          value={show}
          options={VALUES}
          onChange={(next) => void put({ show: asUsual(next, "mean") })}
        />
        shaded
        <Select
          look="word"
          label="How cells are shaded"
          value={shade}
          options={SHADES}
          onChange={(next) => void put({ shade: asUsual(next, "across") })}
        />
      </Part>
      <Part>
        Rows by
        <Select
          look="word"
          label="Order of the rows"
          value={String(order)}
          options={orders}
          onChange={(next) => void put({ order: asUsual(next, "separation") })}
        />
        {order === "separation" && (
          <>
            of
            <Select
              look="word"
              label="What separation goes by"
              value={by}
              options={SEPARATION}
              onChange={(next) => void put({ by: asUsual(next, "means") })}
            />
          </>
        )}
      </Part>
      <Part>
        Columns are
        <AgainstChoice onChange={() => void put({ pair: null, order: null })} />
      </Part>
      {page.against === "segments" && <Pair page={page} />}
    </div>
  );
}

/** Two segments side by side. */
function Pair({ page }: { page: Schemas["PortraitsPage"] }) {
  const { pair, put } = useThreadsAddress();
  const [one = 0, other = 0] = pair;
  const names: Options<string> = page.columns.map((each) => [String(each.number), each.name]);
  if (names.length < 2) return null;
  const first = page.columns.find((each) => each.number !== one)?.number ?? 1;
  return (
    <Part>
      Compare
      <Select
        look="word"
        label="Compare"
        value={String(one)}
        options={[["0", "nobody"], ...names]}
        onChange={(next) => {
          const number = Number(next);
          const beside = other && other !== number ? other : first === number ? 2 : first;
          void put({ pair: number ? [number, beside === number ? 1 : beside] : null });
        }}
      />
      {one > 0 && (
        <>
          with
          <Select
            look="word"
            label="Compare with"
            value={String(other)}
            options={names.filter(([number]) => number !== String(one))}
            onChange={(next) => void put({ pair: [one, Number(next)] })}
          />
        </>
      )}
    </Part>
  );
}

function Part({ children }: { children: ReactNode }) {
  return <span className="flex items-center gap-1.5">{children}</span>;
}
