import { useRouteError } from "react-router";

/** For an address that leads nowhere, and for a screen that broke. */
export function NotFound() {
  const error = useRouteError();
  const words = error instanceof Error ? error.message : "There is nothing at this address.";
  return (
    <main className="mx-auto mt-24 max-w-md px-6 text-center">
      <h1 className="text-20">Page not found</h1>
      <p className="mt-2 text-quiet">{words}</p>
      <a href="/" className="mt-4 inline-block text-copper underline">
        Back to your studies
      </a>
    </main>
  );
}
