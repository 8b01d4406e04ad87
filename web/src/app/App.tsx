import { useQuery } from "@tanstack/react-query";
import { Navigate, Route, Routes } from "react-router";
import { ProblemError } from "../api/client";
import { AccessPage } from "../features/access/AccessPage";
import { DirectoryPage } from "../features/directory/DirectoryPage";
import { DraftPage } from "../features/draft/DraftPage";
import { EndpointsPage } from "../features/endpoints/EndpointsPage";
import { GrantsPage } from "../features/grants/GrantsPage";
import { HistoryPage } from "../features/history/HistoryPage";
import { LineupPage } from "../features/lineup/LineupPage";
import { OverviewPage } from "../features/overview/OverviewPage";
import { OwnPage } from "../features/person/OwnPage";
import { PersonPage } from "../features/person/PersonPage";
import { QueuesPage } from "../features/queues/QueuesPage";
import { meQuery } from "../features/session/queries";
import { SetUpPage } from "../features/session/SetUpPage";
import { SignInPage } from "../features/session/SignInPage";
import { DevicesPage } from "../features/stock/DevicesPage";
import { DriversPage } from "../features/stock/DriversPage";
import { ServersPage } from "../features/stock/ServersPage";
import { SitePage } from "../features/stock/SitePage";
import { Empty, Failure, Waiting } from "../ui/Notice";
import { Shell } from "./Shell";

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
  if (me.data.role === "person") return <OwnPage me={me.data} />;
  return (
    <Shell me={me.data}>
      <Routes>
        <Route path="/" element={<OverviewPage />} />
        <Route path="/lineup" element={<LineupPage />} />
        <Route path="/queues" element={<QueuesPage />} />
        <Route path="/servers" element={<ServersPage />} />
        <Route path="/devices" element={<DevicesPage />} />
        <Route path="/drivers" element={<DriversPage />} />
        <Route path="/site" element={<SitePage />} />
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
    </Shell>
  );
}
