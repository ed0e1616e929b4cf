// Signs this browser out: its session is no good any more, whoever may have a copy of it.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { LogOut } from "lucide-react";
import { api } from "../api/client";

export function SignOut() {
  const client = useQueryClient();
  const out = useMutation({
    mutationFn: () => api.remove("/api/v1/session"),
    // What was read is not shown to whoever sits down next; reading it again tells that nobody is signed in.
    onSuccess: () => client.resetQueries(),
  });
  return (
    <button
      type="button"
      onClick={() => out.mutate()}
      disabled={out.isPending}
      aria-label="Sign out"
      title="Sign out"
      className="rounded p-1 hover:bg-wash"
    >
      <LogOut className="size-4" aria-hidden />
    </button>
  );
}
