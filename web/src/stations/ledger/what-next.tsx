import { count } from "@/charts/format";
import { useStudy } from "@/study/context";
import { unit } from "@/study/unit";
import { useTrail } from "@/study/queries";
import { NextStep } from "@/ui/next-step";

interface Props {
  /** Lines that count; nothing where no log is in. */
  lines: number | null;
  /** A table without a log is in. */
  alone: boolean;
}

/** Whether files are in and no groups are adopted yet: the next station is the next step. */
export function useUngrouped(): boolean {
  const { study, view } = useStudy();
  const trail = useTrail(study.id, view);
  return trail.data?.stations.find((each) => each.key === "portraits")?.state === "not yet";
}

/** What is in, where that has to be said, and until groups are adopted the way to the next station. */
export function WhatNext({ lines, alone }: Props) {
  const ungrouped = useUngrouped();
  if (!alone && (lines === null || !ungrouped)) return null;
  return (
    <p className="card flex flex-wrap items-center justify-between gap-x-4 gap-y-2 p-3">
      <span>
        {lines === null
          ? `No log has been imported yet, so that purchases are not known. What the ${unit.many} are like is, and groups can be made of it.`
          : `${count(lines)} lines count. Check below what was set aside; then see what they say of each customer.`}
      </span>
      {ungrouped && (
        <NextStep to="measures" look="main">
          Go on to Measures
        </NextStep>
      )}
    </p>
  );
}
