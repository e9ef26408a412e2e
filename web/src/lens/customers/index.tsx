import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import { count } from "@/charts/format";
import { useLens } from "@/lens/context";
import { Columns } from "@/lens/customers/columns";
import { SaveList } from "@/lens/customers/save-list";
import { CustomerTable } from "@/lens/customers/table";
import { useStudy } from "@/study/context";
import { useAddress, word, words } from "@/study/address";
import { Button } from "@/ui/button";
import { PageHeader } from "@/ui/page-header";
import { Empty, Failed, Waiting } from "@/ui/status";
import { unit } from "@/study/unit";

const LISTED = { fields: words, order: word, down: word };

/** The customers of the lens, one per row, by any column. */
export function Customers() {
  const { study, view, canChange } = useStudy();
  const lens = useLens();
  const [at, put] = useAddress(LISTED);
  const [saving, setSaving] = useState(false);
  const fields = at.fields.join(",");
  const { order, down } = at;
  const query = {
    ...view,
    ...(lens.digest && { lens: lens.digest }),
    ...(fields && { fields }),
    order,
    down,
  };
  // The first page says how many there are and which columns; the table asks for the others.
  const list = useQuery({
    queryKey: ["study", study.id, "customers", query, 0],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/customers", {
          params: { path: { study: study.id }, query: { ...query, first: 0 } },
          signal,
        }),
      ),
    enabled: !!view.to,
    placeholderData: keepPreviousData,
  });
  if (!view.to)
    return (
      <Empty title="Nobody is known yet">
        {unit.Many} are listed here once a log has been imported.
      </Empty>
    );
  if (list.isPending) return <Waiting />;
  if (list.isError) return <Failed words={list.error.message} />;
  const { total, columns } = list.data;
  const turn = (field: string) => {
    if (order !== field) void put({ order: field, down: "1" });
    else if (down) void put({ down: null });
    else void put({ order: null, down: null });
  };
  const chosen = columns.map((column) => column.field);
  return (
    <div className="grid gap-3">
      <PageHeader
        title={lens.clauses.length ? `${unit.Many} in the lens` : "Everyone"}
        words={`${count(total)} ${unit.many}, one per row. Pick a column heading to sort by it, a figure to see how it came about.`}
      >
        <Columns chosen={chosen} onChoose={(next) => void put({ fields: next })} />
        {canChange && (
          <Button kind="main" disabled={total === 0} onClick={() => setSaving(true)}>
            Save these {count(total)} as a file
          </Button>
        )}
      </PageHeader>
      {saving && <SaveList query={query} total={total} onClose={() => setSaving(false)} />}
      <CustomerTable first={list.data} query={query} order={order} down={down} onTurn={turn} />
    </div>
  );
}
