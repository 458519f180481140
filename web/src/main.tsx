import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import {
  createRootRoute,
  createRoute,
  createRouter,
  Outlet,
  RouterProvider,
} from "@tanstack/react-router";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { FollowPage } from "./follow/FollowPage";
import { addressOf } from "./shell/address";
import { Jobs } from "./shell/Jobs";
import { Shell } from "./shell/Shell";
import { applyTheme } from "./shell/theme";
import "./style.css";

const root = createRootRoute({ component: Outlet });
const jobs = createRoute({ getParentRoute: () => root, path: "/", component: Jobs });
const job = createRoute({
  getParentRoute: () => root,
  path: "/job/$id/$stage",
  validateSearch: addressOf,
  component: function JobPage() {
    const { id, stage } = job.useParams();
    return <Shell id={Number(id)} stage={stage} />;
  },
});
const follow = createRoute({
  getParentRoute: () => root,
  path: "/job/$id/follow",
  component: function Follow() {
    return <FollowPage id={Number(follow.useParams().id)} />;
  },
});
const router = createRouter({ routeTree: root.addChildren([jobs, follow, job]) });

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}

applyTheme();
const queries = new QueryClient({
  defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false } },
});
const place = document.getElementById("root");
if (place) {
  createRoot(place).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <RouterProvider router={router} />
      </QueryClientProvider>
    </StrictMode>,
  );
}
