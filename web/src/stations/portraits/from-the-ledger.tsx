import type { ReactNode } from "react";
import { Link } from "react-router";

import { useElsewhere } from "@/study/address";
import { Empty } from "@/ui/status";

/** Nothing to show until a file is brought in, and the way there. */
export function FromTheLedger({ title, children }: { title: string; children: ReactNode }) {
  const search = useElsewhere();
  return (
    <Empty
      title={title}
      action={
        <Link
          className="text-copper underline"
          to={{ pathname: "../ledger", search }}
          relative="path"
        >
          Go to the Ledger
        </Link>
      }
    >
      {children}
    </Empty>
  );
}
