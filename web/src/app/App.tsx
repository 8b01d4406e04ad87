import { useQuery } from "@tanstack/react-query";
import { Navigate, Route, Routes, useLocation } from "react-router";
import { ProblemError } from "../api/client";
import { meQuery } from "../api/session";
import { lazily } from "../lib/lazily";
import { Empty, Failure, Waiting } from "../ui/Notice";
import { moved } from "./pages";
import { Shell } from "./Shell";

const page = <Waiting what="the page" />;

// Each page comes when it is opened for the first time.
const AccessPage = lazily(
  () => import("../features/access/AccessPage"),
  (m) => m.AccessPage,
  page,
);
const AdoptPage = lazily(
  () => import("../features/adopt/AdoptPage"),
  (m) => m.AdoptPage,
  page,
);
const ContinuityPage = lazily(
  () => import("../features/continuity/ContinuityPage"),
  (m) => m.ContinuityPage,
  page,
);
const DevicesPage = lazily(
  () => import("../features/devices/DevicesPage"),
  (m) => m.DevicesPage,
  page,
);
const DirectoryPage = lazily(
  () => import("../features/directory/DirectoryPage"),
  (m) => m.DirectoryPage,
  page,
);
const DraftPage = lazily(
  () => import("../features/draft/DraftPage"),
  (m) => m.DraftPage,
  page,
);
const DriversPage = lazily(
  () => import("../features/drivers/DriversPage"),
  (m) => m.DriversPage,
  page,
);
const EndpointsPage = lazily(
  () => import("../features/endpoints/EndpointsPage"),
  (m) => m.EndpointsPage,
  page,
);
const EstatePage = lazily(
  () => import("../features/estate/EstatePage"),
  (m) => m.EstatePage,
  page,
);
const GrantsPage = lazily(
  () => import("../features/grants/GrantsPage"),
  (m) => m.GrantsPage,
  page,
);
const HistoryPage = lazily(
  () => import("../features/history/HistoryPage"),
  (m) => m.HistoryPage,
  page,
);
const KeysPage = lazily(
  () => import("../features/keys/KeysPage"),
  (m) => m.KeysPage,
  page,
);
const LineupPage = lazily(
  () => import("../features/lineup/LineupPage"),
  (m) => m.LineupPage,
  page,
);
const OwesPage = lazily(
  () => import("../features/session/OwesPage"),
  (m) => m.OwesPage,
  page,
);
const OverviewPage = lazily(
  () => import("../features/overview/OverviewPage"),
  (m) => m.OverviewPage,
  page,
);
const OwnPage = lazily(
  () => import("../features/person/OwnPage"),
  (m) => m.OwnPage,
  page,
);
const ProveAgain = lazily(
  () => import("../parts/ProveAgain"),
  (m) => m.ProveAgain,
);
const PersonPage = lazily(
  () => import("../features/person/PersonPage"),
  (m) => m.PersonPage,
  page,
);
const QueuesPage = lazily(
  () => import("../features/queues/QueuesPage"),
  (m) => m.QueuesPage,
  page,
);
const ServersPage = lazily(
  () => import("../features/servers/ServersPage"),
  (m) => m.ServersPage,
  page,
);
const SetUpPage = lazily(
  () => import("../features/session/SetUpPage"),
  (m) => m.SetUpPage,
  page,
);
const SignInPage = lazily(
  () => import("../features/session/SignInPage"),
  (m) => m.SignInPage,
  page,
);
const SitePage = lazily(
  () => import("../features/sites/SitePage"),
  (m) => m.SitePage,
  page,
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
