import { Link } from "react-router";

import { useElsewhere } from "@/study/address";

const LOOKS = {
  plain: "text-copper underline",
  main: "rounded-md border border-copper bg-copper px-3 py-1.5 text-13 font-semibold text-white transition hover:brightness-110",
};

interface Props {
  to: string;
  /** `main`: the one main action of a screen. */
  look?: keyof typeof LOOKS;
  children: string;
}

/** A link to another station that keeps window and lens. */
export function NextStep({ to, look = "plain", children }: Props) {
  const search = useElsewhere();
  return (
    <Link className={LOOKS[look]} to={{ pathname: `../${to}`, search }} relative="path">
      {children}
    </Link>
  );
}
