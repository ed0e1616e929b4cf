// Every page of the console with its path. All but the first are loaded when they are opened.
import { lazy, Suspense } from "react";
import { Navigate, Route, Routes, useLocation, useParams } from "react-router";
import { HomePage } from "../pages/HomePage";
import { Boundary } from "./Boundary";

const AssignmentsPage = lazy(() => import("../pages/AssignmentsPage"));
const ChangesPage = lazy(() => import("../pages/ChangesPage"));
const CardPage = lazy(() => import("../pages/CardPage"));
const DevicesPage = lazy(() => import("../pages/DevicesPage"));
const DhcpPage = lazy(() => import("../pages/DhcpPage"));
const HoldingsPage = lazy(() => import("../pages/HoldingsPage"));
const ImportPage = lazy(() => import("../pages/ImportPage"));
const PlanPage = lazy(() => import("../pages/PlanPage"));
const ScansPage = lazy(() => import("../pages/ScansPage"));
const ScanPage = lazy(() => import("../pages/ScanPage"));
const SheetPage = lazy(() => import("../pages/SheetPage"));
const FittingsPage = lazy(() => import("../pages/FittingsPage"));
const FittingPage = lazy(() => import("../pages/FittingPage"));
const CartonsPage = lazy(() => import("../pages/CartonsPage"));
const CablesPage = lazy(() => import("../pages/CablesPage"));
const ChasePage = lazy(() => import("../pages/ChasePage"));
const ChasesPage = lazy(() => import("../pages/ChasesPage"));
const WiringPage = lazy(() => import("../pages/WiringPage"));
const WallPage = lazy(() => import("../pages/WallPage"));
const CallsPage = lazy(() => import("../pages/CallsPage"));
const WatchPage = lazy(() => import("../pages/WatchPage"));
const SwitchesPage = lazy(() => import("../pages/SwitchesPage"));
const SwitchPage = lazy(() => import("../pages/SwitchPage"));
const PairsPage = lazy(() => import("../pages/PairsPage"));
const LabelsPage = lazy(() => import("../pages/LabelsPage"));
const SubnetPage = lazy(() => import("../pages/SubnetPage"));

/** Links of search results name the thing; the sheet opens beside the page that suits it. */
function OpenDevice() {
  return <Navigate replace to={`/devices?open=device:${useParams().id}`} />;
}
function OpenAddress() {
  return <Navigate replace to={`/?open=address:${useParams().address}`} />;
}

export function Pages() {
  const { pathname } = useLocation();
  return (
    <Boundary place={pathname}>
      <Suspense fallback={<p className="p-6 text-soft">Opening…</p>}>
        <Routes>
          <Route path="/" element={<HomePage />} />
          <Route path="/devices" element={<DevicesPage />} />
          <Route path="/devices/:id" element={<OpenDevice />} />
          <Route path="/address/:address" element={<OpenAddress />} />
          <Route path="/plan" element={<PlanPage />} />
          <Route path="/addresses" element={<AssignmentsPage />} />
          <Route path="/dhcp" element={<DhcpPage />} />
          <Route path="/dhcp/:id" element={<HoldingsPage />} />
          <Route path="/import" element={<ImportPage />} />
          <Route path="/card/:address" element={<CardPage />} />
          <Route path="/sheet" element={<SheetPage />} />
          <Route path="/fittings" element={<FittingsPage />} />
          <Route path="/fittings/:id" element={<FittingPage />} />
          <Route path="/cartons" element={<CartonsPage />} />
          <Route path="/calls/wall" element={<WallPage />} />
          <Route path="/calls" element={<CallsPage />} />
          <Route path="/switches" element={<SwitchesPage />} />
          <Route path="/switches/:id" element={<SwitchPage />} />
          <Route path="/switches/:id/labels" element={<LabelsPage />} />
          <Route path="/pairs" element={<PairsPage />} />
          <Route path="/wiring" element={<WiringPage />} />
          <Route path="/chases" element={<ChasesPage />} />
          <Route path="/chases/:id" element={<ChasePage />} />
          <Route path="/cables" element={<CablesPage />} />
          <Route path="/watch" element={<WatchPage />} />
          <Route path="/changes" element={<ChangesPage />} />
          <Route path="/scans" element={<ScansPage />} />
          <Route path="/scans/:id" element={<ScanPage />} />
          <Route path="/subnets/:base/:prefix" element={<SubnetPage />} />
          <Route path="*" element={<p className="p-6">There is no such page.</p>} />
        </Routes>
      </Suspense>
    </Boundary>
  );
}
