import { Link, useParams } from "react-router";
import { useHere } from "@/study/address";

/**
 * A customer's name, which leads to the customer's page with window and lens kept; `why`: the
 * measure whose purchases are told there.
 */
export function CustomerLink({
  number,
  why,
  children,
}: {
  number: number;
  why?: string;
  children: string;
}) {
  const { study } = useParams();
  const search = useHere();
  const params = new URLSearchParams(search);
  if (why) params.set("why", why);
  return (
    <Link
      to={{ pathname: `/study/${study}/customer/${number}`, search: params.toString() }}
      className="hover:underline"
      title={why ? "See what this figure is made of" : "Look at this customer"}
    >
      {children}
    </Link>
  );
}
