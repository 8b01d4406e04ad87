import { useQuery } from "@tanstack/react-query";
import type { ComponentType } from "react";
import { Navigate, Route, Routes, useLocation } from "react-router";
import { ProblemError } from "../api/client";
import { meQuery } from "../api/session";
import { lazily } from "../lib/lazily";
import { Empty, Failure, Waiting } from "../ui/Notice";
import { moved } from "./pages";
import { Shell } from "./Shell";

/** A page, which comes when it is opened for the first time. */
function pageOf<M extends object, P extends object>(
  load: () => Promise<M>,
  pick: (file: M) => ComponentType<P>,
) {
  return lazily(load, pick, <Waiting what="the page" />);
}

const AccessPage = pageOf(
  () => import("../features/access/AccessPage"),
  (m) => m.AccessPage,
);
const AdoptPage = pageOf(
  () => import("../features/adopt/AdoptPage"),
  (m) => m.AdoptPage,
);
const ContinuityPage = pageOf(
  () => import("../features/continuity/ContinuityPage"),
  (m) => m.ContinuityPage,
);
const DevicesPage = pageOf(
  () => import("../features/devices/DevicesPage"),
  (m) => m.DevicesPage,
);
const DirectoryPage = pageOf(
  () => import("../features/directory/DirectoryPage"),
  (m) => m.DirectoryPage,
);
const DraftPage = pageOf(
  () => import("../features/draft/DraftPage"),
  (m) => m.DraftPage,
);
const DriversPage = pageOf(
  () => import("../features/drivers/DriversPage"),
  (m) => m.DriversPage,
);
const EndpointsPage = pageOf(
  () => import("../features/endpoints/EndpointsPage"),
  (m) => m.EndpointsPage,
);
const EstatePage = pageOf(
  () => import("../features/estate/EstatePage"),
  (m) => m.EstatePage,
);
const GrantsPage = pageOf(
  () => import("../features/grants/GrantsPage"),
  (m) => m.GrantsPage,
);
const HistoryPage = pageOf(
  () => import("../features/history/HistoryPage"),
  (m) => m.HistoryPage,
);
const KeysPage = pageOf(
  () => import("../features/keys/KeysPage"),
  (m) => m.KeysPage,
);
const LineupPage = pageOf(
  () => import("../features/lineup/LineupPage"),
  (m) => m.LineupPage,
);
const OwesPage = pageOf(
  () => import("../features/session/OwesPage"),
  (m) => m.OwesPage,
);
const OverviewPage = pageOf(
  () => import("../features/overview/OverviewPage"),
  (m) => m.OverviewPage,
);
const OwnPage = pageOf(
  () => import("../features/person/OwnPage"),
  (m) => m.OwnPage,
);
const ProveAgain = lazily(
  () => import("../parts/ProveAgain"),
  (m) => m.ProveAgain,
);
const PersonPage = pageOf(
  () => import("../features/person/PersonPage"),
  (m) => m.PersonPage,
);
const QueuesPage = pageOf(
  () => import("../features/queues/QueuesPage"),
  (m) => m.QueuesPage,
);
const ServersPage = pageOf(
  () => import("../features/servers/ServersPage"),
  (m) => m.ServersPage,
);
const SetUpPage = pageOf(
  () => import("../features/session/SetUpPage"),
  (m) => m.SetUpPage,
);
const SignInPage = pageOf(
  () => import("../features/session/SignInPage"),
  (m) => m.SignInPage,
);
const SitePage = pageOf(
  () => import("../features/sites/SitePage"),
  (m) => m.SitePage,
);

export function App() {
  const me = useQuery(meQuery());
  if (me.isPending)
    return (
      <main className="p-6">
        <Waiting what="the service" />
      </main>
    );
  if (!me.data) {
    const p = me.error instanceof ProblemError ? me.error : undefined;
    return (
      <main className="p-6">
        <Failure
          title="The console cannot start"
          problem={{ message: p?.message ?? "The service does not answer", fix: p?.problem.fix }}
        />
      </main>
    );
  }
  if (me.data.needs_set_up) return <SetUpPage />;
  if (!me.data.signed_in) return <SignInPage />;
  const name = me.data.name ?? "";
  return (
    <>
      {me.data.owes_factor ? (
        <OwesPage name={name} />
      ) : me.data.role === "person" ? (
        <OwnPage me={me.data} />
      ) : (
        <Shell me={me.data}>
          <Pages />
        </Shell>
      )}
      <ProveAgain name={name} />
    </>
  );
}

function Pages() {
  const { pathname, search } = useLocation();
  const to = moved(pathname, search);
  if (to) return <Navigate to={to} replace />;
  return (
    <Routes>
      <Route path="/" element={<OverviewPage />} />
      <Route path="/lineup" element={<LineupPage />} />
      <Route path="/queues" element={<QueuesPage />} />
      <Route path="/servers" element={<ServersPage />} />
      <Route path="/devices" element={<DevicesPage />} />
      <Route path="/drivers" element={<DriversPage />} />
      <Route path="/site" element={<SitePage />} />
      <Route path="/continuity" element={<ContinuityPage />} />
      <Route path="/adopt" element={<AdoptPage />} />
      <Route path="/keys" element={<KeysPage />} />
      <Route path="/estate" element={<EstatePage />} />
      <Route path="/grants" element={<GrantsPage />} />
      <Route path="/draft" element={<DraftPage />} />
      <Route path="/history" element={<HistoryPage />} />
      <Route path="/access" element={<AccessPage />} />
      <Route path="/people/:name" element={<PersonPage />} />
      <Route path="/directory" element={<DirectoryPage />} />
      <Route path="/endpoints" element={<EndpointsPage />} />
      <Route path="/index.html" element={<Navigate to="/" replace />} />
      <Route
        path="*"
        element={
          <Empty title="There is no such page">Go to the overview, or check the address.</Empty>
        }
      />
    </Routes>
  );
}
