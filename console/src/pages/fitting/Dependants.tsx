// Who has an address entered, or has an old one of it that must be changed: each is ticked off.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api } from "../../api/client";
import { Button, Mono, Section } from "../../parts/basics";

export function Dependants({ address }: { address: string }) {
  const client = useQueryClient();
  const uses = useQuery({
    queryKey: ["uses", address],
    queryFn: () => api.all("/api/v1/uses", { query: { address } }),
  });
  const done = useMutation({
    mutationFn: (identity: number) => api.post("/api/v1/uses/{identity}/done", { path: { identity } }),
    onSuccess: () => client.invalidateQueries({ queryKey: ["uses", address] }),
  });
  const found = uses.data ?? [];
  if (found.length === 0) return null;
  return (
    <Section title="Who must be told of its address">
      <ul className="divide-y divide-rule">
        {found.map((use) => (
          <li key={use.id} className="flex flex-wrap items-center gap-x-3 py-1">
            <span className="min-w-0 flex-1">
              {use.user} uses <Mono>{use.address}</Mono> for {use.purpose}
            </span>
            {use.moved_to ? (
              <Button disabled={done.isPending} onClick={() => done.mutate(use.id)}>
                {use.moved_to} is entered there
              </Button>
            ) : (
              <span className="text-sm text-soft">as recorded</span>
            )}
          </li>
        ))}
      </ul>
      {done.error ? (
        <p role="alert" className="text-sm text-alarm">
          {done.error.message}.
        </p>
      ) : null}
    </Section>
  );
}
