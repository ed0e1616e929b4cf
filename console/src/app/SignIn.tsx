// Signing in: the address has a ticket that is good once, and a press of the button uses it. Whoever only looks at the address, such as
// a preview of the link, uses nothing up.
import { useState } from "react";
import { api } from "../api/client";
import { sentence } from "../lib/format";
import { inside } from "../lib/inside";
import { Button, Mono, Notice } from "../parts/basics";

export function SignIn({ given, go }: { given: URLSearchParams; go: (to: string) => void }) {
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState("");
  const ticket = given.get("ticket") ?? "";
  const signIn = async () => {
    setBusy(true);
    setTrouble("");
    try {
      await api.post("/api/v1/sign-in", { body: { ticket } });
      go(inside(given.get("to")));
    } catch (error) {
      setTrouble(error instanceof Error ? error.message : String(error));
      setBusy(false);
    }
  };
  return (
    <main className="mx-auto max-w-xl p-8">
      <h1 className="mb-3 text-xl font-semibold">Sign in to Even Roster</h1>
      <p className="mb-4">This browser stays signed in for 30 days, or until you sign out. The address works once.</p>
      {ticket ? (
        <Button tone="ink" onClick={() => void signIn()} disabled={busy}>
          {busy ? "Signing in…" : "Sign in"}
        </Button>
      ) : (
        <p>
          The address is not whole: its ticket is missing. Run <Mono>roster console</Mono> for another one.
        </p>
      )}
      {trouble ? (
        <div className="mt-4">
          <Notice tone="alarm">{sentence(trouble)}.</Notice>
        </div>
      ) : null}
    </main>
  );
}
