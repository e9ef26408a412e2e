import { within } from "@/charts/format";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";

import { api, data } from "@/api/client";
import { useWhole } from "@/stations/measures/use-measures";
import type { Page } from "@/stations/measures/use-measures";
import { mark } from "@/study/write-queue";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { useNotice } from "@/ui/notices";
import { fileName, saveFile } from "@/ui/save";
import { Input } from "@/ui/input";

const item =
  "grid cursor-pointer gap-0.5 rounded px-2 py-1.5 outline-none data-[highlighted]:bg-paper";

/** Every measure prepared at once: presets, what was kept under a name, and keeping it. */
export function Preparations({ page }: { page: Page }) {
  const { canChange } = useStudy();
  const whole = useWhole(page.plan_revision);
  const drop = useDrop(page.kept_revision);
  const [naming, setNaming] = useState(false);
  const [name, setName] = useState("");
  const record = useRecord();
  if (!canChange)
    return (
      <button
        type="button"
        className="rounded-md border border-line bg-card px-2.5 py-1 hover:border-quiet"
        onClick={() => void record()}
      >
        Preparation as text
      </button>
    );
  if (naming)
    return (
      <form
        className="flex items-center gap-1.5"
        onSubmit={(event) => {
          event.preventDefault();
          whole.mutate(
            { keep_as: name, words: `Saved as ${name}.` },
            { onSuccess: () => setNaming(false) },
          );
        }}
      >
        <Input
          autoFocus
          required
          maxLength={60}
          value={name}
          aria-label="Name of the preparation"
          placeholder="Name, such as Winter review"

          onChange={(event) => setName(event.target.value)}
          onKeyDown={(event) => event.key === "Escape" && setNaming(false)}
        />
        <button type="submit" className="rounded-md border border-line px-2 py-1">
          Keep
        </button>
      </form>
    );
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="rounded-md border border-line bg-card px-2.5 py-1 hover:border-quiet">
        Prepare all <span aria-hidden>▾</span>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" sideOffset={6} className="card z-40 w-80 p-1.5 shadow-lg">
          {page.presets.map((preset) => (
            <DropdownMenu.Item
              key={preset.name}
              className={item}
              onSelect={() =>
                whole.mutate({
                  preset: preset.name,
                  words: `Prepared all measures: ${within(preset.label)}.`,
                })
              }
            >
              <span className="font-semibold">{preset.label}</span>
              <span className="text-12 text-quiet">{preset.words}</span>
            </DropdownMenu.Item>
          ))}
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          {page.kept.map((kept) => (
            <div key={kept} className="flex items-center">
              <DropdownMenu.Item
                className={`${item} flex-1`}
                onSelect={() => whole.mutate({ kept, words: `Prepared by ${kept}.` })}
              >
                <span className="font-semibold">{kept}</span>
                <span className="text-12 text-quiet">kept: roles and preparations</span>
              </DropdownMenu.Item>
              <DropdownMenu.Item
                className="cursor-pointer rounded px-2 py-1.5 text-12 text-quiet outline-none data-[highlighted]:bg-paper"
                aria-label={`Delete ${kept}`}
                onSelect={() => drop.mutate(kept)}
              >
                delete
              </DropdownMenu.Item>
            </div>
          ))}
          <DropdownMenu.Item className={item} onSelect={() => setNaming(true)}>
            Keep this preparation under a name
          </DropdownMenu.Item>
          <DropdownMenu.Item className={item} onSelect={() => void record()}>
            <span className="font-semibold">Record as text</span>
            <span className="text-12 text-quiet">every measure with its steps and constants</span>
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** Save how everything is prepared as a text. */
function useRecord() {
  const { study, view } = useStudy();
  const say = useNotice();
  return async () => {
    try {
      const text = await data(
        api.GET("/api/studies/{study}/preparations", {
          params: { path: { study: study.id }, query: view },
          parseAs: "blob",
        }),
      );
      saveFile(text, fileName(`preparation of ${study.name}`, "txt"));
    } catch (problem) {
      say(problem instanceof Error ? problem.message : "It could not be saved.", { trouble: true });
    }
  };
}

function useDrop(revision: number) {
  const { study, undo } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  return useMutation({
    mutationFn: (name: string) =>
      data(
        api.DELETE("/api/studies/{study}/preparations/{name}", {
          params: { path: { study: study.id, name } },
          headers: mark(revision),
        }),
      ),
    onSuccess: (_, name) => say(`Deleted the preparation ${name}.`, { undo }),
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => askAnew(queries, study.id),
  });
}
