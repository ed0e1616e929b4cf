// Sign a phone in once, by a code that its camera reads, and open this page there.
import { useMutation } from "@tanstack/react-query";
import { Smartphone } from "lucide-react";
import { useLocation } from "react-router";
import { api } from "../../api/client";
import { Button, Notice } from "../../parts/basics";

export function OnPhone() {
  const { pathname, search } = useLocation();
  const ask = useMutation({
    mutationFn: () => api.post("/api/v1/session/phone", { body: { page: `${pathname}${search}`, host: "" } }),
  });
  const found = ask.data;
  return (
    <div className="hidden sm:block print:hidden">
      <Button tone="quiet" disabled={ask.isPending} onClick={() => (found ? ask.reset() : ask.mutate())}>
        <Smartphone className="size-4" aria-hidden /> {found ? "Close" : "On a phone…"}
      </Button>
      {ask.error ? <Notice tone="alarm">{ask.error.message}.</Notice> : null}
      {found && !found.url ? <Notice>{found.why_not}.</Notice> : null}
      {found?.url && found.qr ? (
        <div className="mt-2 flex flex-wrap items-start gap-4 rounded border border-rule bg-leaf p-3 text-sm">
          <img src={found.qr} alt={`The address ${found.url} as a code`} className="size-52" />
          <div className="max-w-sm">
            <p>Read this with the phone&apos;s camera: it signs that phone in, once, within 15 minutes.</p>
            <p className="mt-2 text-soft">
              Its browser does not know the certificate of this service and asks. The fingerprint it shows must be
              (SHA-256):
            </p>
            <p className="font-mono break-all">{found.fingerprint}</p>
          </div>
        </div>
      ) : null}
    </div>
  );
}
