import { NuqsAdapter } from "nuqs/adapters/react-router/v7";
import { createBrowserRouter, Outlet, redirect } from "react-router";
import type { RouterNavigateOptions, To } from "react-router";

import { Frame } from "@/study/frame";
import { loaded } from "@/study/loaded";
import { StationFailed } from "@/study/station-failed";
import { NotFound } from "@/ui/not-found";
import { Waiting } from "@/ui/status";

/** Stations load on demand: each is a chunk of its own. */
export const router = createBrowserRouter([
  {
    hydrateFallbackElement: <Waiting />,
    element: (
      <NuqsAdapter>
        <Outlet />
      </NuqsAdapter>
    ),
    children: [
      {
        path: "/sign-in",
        lazy: async () => ({ Component: (await loaded(() => import("@/sign-in/sign-in"))).SignIn }),
      },
      {
        path: "/join",
        lazy: async () => ({ Component: (await loaded(() => import("@/sign-in/join"))).Join }),
      },
      {
        path: "/",
        lazy: async () => ({ Component: (await loaded(() => import("@/study/studies"))).Studies }),
      },
      {
        path: "/study/:study",
        element: <Frame />,
        hydrateFallbackElement: <Waiting />,
        errorElement: <NotFound />,
        children: [
          {
            index: true,
            loader: ({ request }) => redirect(`ledger${new URL(request.url).search}`),
          },
          {
            errorElement: <StationFailed />,
            children: [
              {
                path: "ledger",
                lazy: async () => ({
                  Component: (await loaded(() => import("@/stations/ledger"))).Ledger,
                }),
              },
              {
                path: "measures",
                lazy: async () => ({
                  Component: (await loaded(() => import("@/stations/measures"))).Measures,
                }),
              },
              {
                path: "scores",
                lazy: async () => ({
                  Component: (await loaded(() => import("@/stations/scores"))).Scores,
                }),
              },
              {
                path: "groups",
                lazy: async () => ({
                  Component: (await loaded(() => import("@/stations/groups"))).Groups,
                }),
              },
              {
                path: "portraits",
                lazy: async () => ({
                  Component: (await loaded(() => import("@/stations/portraits"))).Portraits,
                }),
              },
              {
                path: "crossings",
                lazy: async () => ({
                  Component: (await loaded(() => import("@/stations/crossings"))).Crossings,
                }),
              },
              {
                path: "campaigns",
                lazy: async () => ({
                  Component: (await loaded(() => import("@/stations/campaigns"))).Campaigns,
                }),
              },
              {
                path: "receipt/:receipt",
                lazy: async () => ({
                  Component: (await loaded(() => import("@/stations/ledger/receipt"))).Receipt,
                }),
              },
              {
                path: "customer/:customer",
                lazy: async () => ({
                  Component: (await loaded(() => import("@/stations/ledger/customer"))).Customer,
                }),
              },
              {
                path: "customers",
                lazy: async () => ({
                  Component: (await loaded(() => import("@/lens/customers"))).Customers,
                }),
              },
            ],
          },
        ],
      },
      { path: "*", element: <NotFound /> },
    ],
  },
]);

/* What is picked comes into the address a moment later. Whoever has followed a link by then leaves
   this page, and takes what was picked along: the late change must not call them back. */
const navigate = router.navigate.bind(router);
router.navigate = async (to: To | number | null, options?: RouterNavigateOptions) => {
  const { location, navigation } = router.state;
  const leaving = navigation.location && navigation.location.pathname !== location.pathname;
  const staying = to !== null && typeof to === "object" && to.pathname === undefined;
  if (leaving && staying) return;
  await (typeof to === "number" ? navigate(to) : navigate(to, options));
};
