// Nobody is signed in: say how to get in.
import { Mono } from "../parts/basics";

export function SignedOut() {
  const expired = new URLSearchParams(location.search).get("signin") === "expired";
  return (
    <main className="mx-auto max-w-xl p-8">
      <h1 className="mb-3 text-xl font-semibold">
        {expired ? "That sign-in was used already, or is too old" : "You are not signed in"}
      </h1>
      <p className="mb-2">
        When the service started, it printed an address that signs a browser in, once. For another one, run this on the
        service's machine and open what it prints:
      </p>
      <p className="rounded border border-rule bg-leaf px-3 py-2">
        <Mono>roster console</Mono>
      </p>
    </main>
  );
}
