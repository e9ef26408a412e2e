import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { setNonce } from "get-nonce";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { RouterProvider } from "react-router";

import { retryUnless } from "@/api/client";
import { router } from "@/routes";
import { Notices } from "@/ui/notices";
import "@/styles.css";

const queries = new QueryClient({
  defaultOptions: {
    queries: { staleTime: 30_000, retry: retryUnless, refetchOnWindowFocus: false },
  },
});
// Dialogs put a style element of their own into the page; the content policy wants our nonce on it.
setNonce(document.querySelector<HTMLScriptElement>("script[nonce]")?.nonce ?? "");

const root = document.getElementById("sortija");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <Notices>
          <RouterProvider router={router} />
        </Notices>
      </QueryClientProvider>
    </StrictMode>,
  );
}
