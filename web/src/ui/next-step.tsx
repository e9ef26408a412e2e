import { Link, useLocation } from "react-router";

/** A link to another station that keeps window and lens. */
export function NextStep({ to, children }: { to: string; children: string }) {
  const { search } = useLocation();
  return (
    <Link className="text-copper underline" to={{ pathname: `../${to}`, search }} relative="path">
      {children}
    </Link>
  );
}
