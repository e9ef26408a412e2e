import type { Schemas } from "@/api/client";
import type { Mapping } from "@/stations/ledger/review/use-review";
import { Select } from "@/ui/select";

interface Props {
  intake: Schemas["IntakeRow"];
  mapping: Mapping;
  onChange: (next: Mapping) => void;
}

/** The file's own words for what a line is. */
export function KindWords({ intake, mapping, onChange }: Props) {
  if (intake.kind_words.length === 0) return null;
  return (
    <div className="mt-3 text-12">
      <h3 className="text-13">What the words for a line mean</h3>
      <div className="mt-1 flex flex-wrap gap-x-5 gap-y-1.5">
        {intake.kind_words.map((word) => (
          <label key={word.word} className="flex items-center gap-1.5">
            <span className="font-semibold">{word.word}</span>
            <Select
              label={`What ${word.word} means`}
              value={word.kind}

              onChange={(value) =>
                onChange({
                  ...mapping,
                  kinds: { ...mapping.kinds, [word.word]: value },
                })
              }
              options={[
                ["sale", "a sale"],
                ["return", "a return"],
                ["void", "voided"],
                ["other", "not a sale"],
              ]}
            />
          </label>
        ))}
      </div>
    </div>
  );
}
