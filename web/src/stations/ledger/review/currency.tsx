import type { Schemas } from "@/api/client";
import { useCurrency } from "@/study/currency";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";

/** A file whose amounts are in another currency than the study counts in. */
export function OtherCurrency({ intake }: { intake: Schemas["IntakeRow"] }) {
  const { study } = useStudy();
  const choose = useCurrency();
  if (intake.currency === "") return null;
  return (
    <p className="mb-2 flex flex-wrap items-center gap-2 text-12">
      <span>
        Its amounts are in <b className="font-semibold">{intake.currency}</b>, and this study counts
        in <b className="font-semibold">{study.currency}</b>.
      </span>
      <Button disabled={choose.isPending} onClick={() => choose.mutate(intake.currency)}>
        Count in {intake.currency}
      </Button>
    </p>
  );
}
