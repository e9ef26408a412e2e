import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { Button } from "@/ui/button";
import { Card } from "@/ui/card";
import { Input } from "@/ui/input";
import { useNotice } from "@/ui/notices";

const NONE = { name: "", send_on: "", read_on: "" };

/** Bring in a campaign that was sent from elsewhere, by its list with both arms. */
export function BringIn({ onBrought }: { onBrought: (id: number) => void }) {
  const { study, undo } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  const [open, setOpen] = useState(false);
  const [plan, setPlan] = useState(NONE);
  const [list, setList] = useState<{ name: string; text: string } | null>(null);
  const bring = useMutation({
    mutationFn: () =>
      data(
        api.POST("/api/studies/{study}/campaigns/past", {
          params: { path: { study: study.id } },
          body: { ...plan, list: list?.text ?? "" },
        }),
      ),
    onSuccess: (row) => {
      say(`Brought in ${row.name}.`, { undo });
      setOpen(false);
      setPlan(NONE);
      setList(null);
      onBrought(row.id);
    },
    onSettled: () => askAnew(queries, study.id),
  });
  const field = (key: keyof typeof NONE, words: string, type: string) => (
    <label className="grid gap-1 text-12 text-quiet">
      {words}
      <Input
        type={type}
        required
        maxLength={80}
        className="text-13"
        value={plan[key]}
        onChange={(event) => setPlan({ ...plan, [key]: event.target.value })}
      />
    </label>
  );
  return (
    <>
      <Button onClick={() => setOpen(true)}>Bring in a campaign sent elsewhere</Button>
      <Card title="A campaign sent elsewhere" open={open} wide onClose={() => setOpen(false)}>
        <form
          className="mt-3 grid gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            bring.mutate();
          }}
        >
          {field("name", "Name", "text")}
          <div className="grid grid-cols-2 gap-3">
            {field("send_on", "Sent on", "date")}
            {field("read_on", "Result read on", "date")}
          </div>
          <label className="grid gap-1 text-12 text-quiet">
            The list, a CSV with the columns card and group (written or held)
            <input
              type="file"
              accept=".csv,text/csv"
              required
              className="text-12 text-ink"
              onChange={(event) => {
                const file = event.target.files?.[0];
                if (file)
                  void file.text().then((text) => {
                    setList({ name: file.name, text });
                  });
              }}
            />
          </label>
          <p className="text-12 text-quiet">
            Everybody who was drawn belongs on it, also those whom nothing reached: the effect is
            told of all of them.
          </p>
          {bring.isError && (
            <p role="alert" className="text-12 text-alarm">
              {bring.error.message}
            </p>
          )}
          <div className="flex justify-end">
            <Button kind="main" type="submit" disabled={bring.isPending || !list}>
              Bring it in
            </Button>
          </div>
        </form>
      </Card>
    </>
  );
}
