// Nobody is signed in: say how to get in.
import { Mono } from "../parts/basics";

export function SignedOut() {
  return (
    <main className="mx-auto max-w-xl p-8">
      <h1 className="mb-3 text-xl font-semibold">You are not signed in</h1>
      <p className="mb-2">Run this on the service's machine, and open the address that it prints:</p>
      <p className="rounded border border-rule bg-leaf px-3 py-2">
        <Mono>roster console</Mono>
      </p>
    </main>
  );
}
