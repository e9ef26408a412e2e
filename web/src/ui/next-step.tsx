import { Link } from "react-router";

import { useElsewhere } from "@/study/address";

/** A link to another station that keeps window and lens. */
export function NextStep({ to, children }: { to: string; children: string }) {
  const search = useElsewhere();
  return (
    <Link className="text-copper underline" to={{ pathname: `../${to}`, search }} relative="path">
      {children}
    </Link>
  );
}
