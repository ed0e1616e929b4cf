// The opening page: what needs attention first, then where this machine stands. An empty roster is taught to begin; what is
// found before the first scan (by leases, say) stands below that.
import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import { Attention } from "../parts/Attention";
import { HerePage } from "./HerePage";

export function HomePage() {
  const here = useQuery({ queryKey: ["here"], queryFn: () => api.get("/api/v1/here") });
  const findings = useQuery({
    queryKey: ["findings", "counts"],
    queryFn: () => api.get("/api/v1/findings", { query: { limit: 1 } }),
  });
  const scanned = here.data?.scanned ?? false;
  const early = here.data && !scanned && (findings.data?.items.length ?? 0) > 0;
  return (
    <>
      {scanned ? (
        <div className="mx-auto max-w-6xl px-5 pt-5">
          <Attention />
        </div>
      ) : null}
      <HerePage />
      {early ? (
        <div className="mx-auto max-w-6xl px-5 pb-5">
          <Attention />
        </div>
      ) : null}
    </>
  );
}
