import { useRouteError } from "react-router";

import { Button } from "@/ui/button";
import { Failed } from "@/ui/status";

const NOT_LOADED = /import|module|fetch|load/i;

/** A station that did not load or broke: the study around it stays, and it can be tried again. */
export function StationFailed() {
  const error = useRouteError();
  const words = error instanceof Error ? error.message : "This station broke.";
  return (
    <Failed
      words={
        NOT_LOADED.test(words)
          ? "This station could not be loaded. Is Sortija still running? Nothing is lost."
          : words
      }
      action={<Button onClick={() => location.reload()}>Try again</Button>}
    />
  );
}
