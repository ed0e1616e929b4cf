// The frame of every page: the head with its places, the find field, and the side sheet.
import { useQuery } from "@tanstack/react-query";
import { Menu, Moon, Radar, Search, Sun } from "lucide-react";
import { lazy, Suspense, useEffect, useState, type ReactNode } from "react";
import { NavLink, useLocation } from "react-router";
import { api, Problem } from "../api/client";
import { useLive } from "../api/live";
import { useTheme } from "../lib/theme";
import { useOpen } from "../lib/open";
import { FindDialog } from "./FindDialog";
import { SideSheet } from "./SideSheet";
import { SignedOut } from "./SignedOut";
import { SignOut } from "./SignOut";
import { Troubles } from "./Troubles";

const ScanDialog = lazy(() => import("./ScanDialog"));

const PLACES = [
  ["/", "Here"],
  ["/plan", "Plan"],
  ["/addresses", "Addresses"],
  ["/devices", "Devices"],
  ["/fittings", "Fitting"],
  ["/switches", "Ports"],
  ["/wiring", "Wiring"],
  ["/dhcp", "DHCP"],
  ["/scans", "Scans"],
  ["/calls", "Roll call"],
  ["/watch", "Watch"],
  ["/changes", "Changes"],
] as const;

export function Shell({ children }: { children: ReactNode }) {
  const [theme, toggleTheme] = useTheme();
  const [finding, setFinding] = useState(false);
  const [scanning, setScanning] = useState(false);
  const [menu, setMenu] = useState(false);
  const { pathname } = useLocation();
  useEffect(() => setMenu(false), [pathname]);
  const [open] = useOpen();
  const { connected } = useLive();
  const here = useQuery({ queryKey: ["here"], queryFn: () => api.get("/api/v1/here") });

  const findings = useQuery({
    queryKey: ["findings", "counts"],
    queryFn: () => api.get("/api/v1/findings", { query: { limit: 1 } }),
  });
  const calling = (findings.data?.counts.urgent ?? 0) + (findings.data?.counts.wrong ?? 0);

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const typing = event.target instanceof HTMLElement && event.target.matches("input, textarea, select");
      if ((event.key === "k" && (event.ctrlKey || event.metaKey)) || (event.key === "/" && !typing)) {
        event.preventDefault();
        setFinding(true);
      }
    };
    addEventListener("keydown", onKey);
    return () => removeEventListener("keydown", onKey);
  }, []);

  if (here.error instanceof Problem && here.error.status === 401) return <SignedOut />;
  return (
    <div className="flex h-full flex-col">
      <header className="print:hidden flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-rule bg-leaf px-4 py-2">
        <NavLink to="/" className="flex items-center gap-2 font-semibold">
          <img src="/mark.svg" alt="" className="size-6" /> Even Roster
        </NavLink>
        <button
          type="button"
          aria-expanded={menu}
          aria-controls="places"
          onClick={() => setMenu(!menu)}
          className="flex items-center gap-1 rounded border border-rule px-2 py-1 text-sm hover:border-ink md:hidden"
        >
          <Menu className="size-4" aria-hidden /> Menu
          {calling > 0 ? (
            <span className="rounded bg-alarm px-1 text-xs font-semibold text-leaf">{calling}</span>
          ) : null}
        </button>
        <nav
          id="places"
          aria-label="Places"
          className={`gap-1 md:order-none md:flex md:basis-auto md:flex-row ${menu ? "order-last flex basis-full flex-col" : "hidden"}`}
        >
          {PLACES.map(([to, name]) => (
            <NavLink
              key={to}
              to={to}
              end={to === "/"}
              className={({ isActive }) =>
                `border-b-2 px-2 py-1 ${isActive ? "border-ink font-semibold" : "border-transparent text-soft hover:text-text"}`
              }
            >
              {name}
              {to === "/" && calling > 0 ? (
                <span
                  className="ml-1 rounded bg-alarm px-1 text-xs font-semibold text-leaf"
                  title={`${calling} findings are urgent or wrong`}
                >
                  {calling}
                </span>
              ) : null}
            </NavLink>
          ))}
        </nav>
        <button
          type="button"
          onClick={() => setFinding(true)}
          className="order-last flex min-w-0 flex-1 basis-full items-center gap-2 rounded border border-rule bg-paper px-2.5 py-1 text-left text-soft hover:border-ink sm:order-none sm:max-w-md sm:basis-28"
        >
          <Search className="size-4 shrink-0" aria-hidden />{" "}
          <span className="truncate">Find a name, address, MAC, vendor, note</span>
          <kbd className="ml-auto hidden rounded border border-rule px-1 font-mono text-xs sm:block">/</kbd>
        </button>
        <button
          type="button"
          disabled={!here.data}
          onClick={() => setScanning(true)}
          className="flex items-center gap-1.5 rounded border border-rule px-2.5 py-1 text-sm hover:border-ink"
        >
          <Radar className="size-4" aria-hidden /> Scan…
        </button>
        <div className="ml-auto flex items-center gap-1.5 text-sm text-soft">
          {here.data?.simulated ? (
            <span className="hidden rounded border border-rule px-1.5 min-[1440px]:inline">simulated site</span>
          ) : null}
          <span className={connected ? "" : "text-alarm"} title="Changes arrive by themselves while this says live">
            {connected ? "live" : "not connected"}
          </span>
          <button
            type="button"
            onClick={toggleTheme}
            aria-label={theme === "dark" ? "Light colours" : "Dark colours"}
            className="rounded p-1 hover:bg-wash"
          >
            {theme === "dark" ? <Sun className="size-4" /> : <Moon className="size-4" />}
          </button>
          <SignOut />
        </div>
      </header>
      <Troubles />
      <div className="flex min-h-0 flex-1">
        <main className={`relative min-w-0 flex-1 overflow-auto ${open ? "hidden lg:block" : ""}`}>{children}</main>
        {open ? <SideSheet open={open} /> : null}
      </div>
      <FindDialog open={finding} onOpenChange={setFinding} />
      {scanning && here.data ? (
        <Suspense fallback={null}>
          <ScanDialog here={here.data} open onOpenChange={setScanning} />
        </Suspense>
      ) : null}
    </div>
  );
}
