import { Link, useLocation, useParams } from "react-router";

/** A customer's name, which leads to the customer's page with window and lens kept. */
export function CustomerLink({ number, children }: { number: number; children: string }) {
  const { study } = useParams();
  const { search } = useLocation();
  return (
    <Link
      to={{ pathname: `/study/${study}/customer/${number}`, search }}
      className="hover:underline"
      title="Look at this customer"
    >
      {children}
    </Link>
  );
}
