// Every edit by a person, of the plan, of devices and of settings, the latest first; each can be taken back whole.
import { useInfiniteQuery, useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api } from "../api/client";
import { byDay, what } from "../lib/changes";
import { ago, moment, plural } from "../lib/format";
import { Button, Notice } from "../parts/basics";

const PAGE = 100;

export default function ChangesPage() {
  const client = useQueryClient();
  const changes = useInfiniteQuery({
    queryKey: ["changes"],
    queryFn: ({ pageParam }) => api.get("/api/v1/changes", { query: { limit: PAGE, cursor: pageParam } }),
    initialPageParam: null as string | null,
    getNextPageParam: (last) => last.next ?? undefined,
  });
  const undo = useMutation({
    mutationFn: (id: number) => api.post("/api/v1/changes/{identity}/undo", { path: { identity: id } }),
    onSuccess: () => client.invalidateQueries(),
  });
  if (changes.error)
    return (
      <div className="p-6">
        <Notice tone="alarm">{changes.error.message}</Notice>
      </div>
    );
  const rows = changes.data?.pages.flatMap((page) => page.items) ?? [];
  const undone = new Set(rows.map((change) => change.undoes));
  if (changes.data && rows.length === 0) return <p className="p-6">Nothing was edited yet.</p>;
  return (
    <div className="mx-auto max-w-6xl px-5 py-5">
      <h1 className="mb-1 text-2xl font-semibold">Changes</h1>
      <p className="mb-3 text-soft">
        Every edit of the plan, of devices and of settings. Taking one back takes back all of it, as long as nothing in
        it was changed again since.
      </p>
      <table className="w-full min-w-3xl table-fixed text-left">
        <thead className="text-sm text-soft">
          <tr>
            <th className="w-28 py-1 pr-4 font-normal">when</th>
            <th className="w-32 pr-4 font-normal">who</th>
            <th className="w-56 pr-4 font-normal">what</th>
            <th className="pr-4 font-normal">change</th>
            <th className="w-32">
              <span className="sr-only">undo</span>
            </th>
          </tr>
        </thead>
        {byDay(rows).map(([day, made]) => (
          <tbody key={day}>
            <tr className="border-t border-rule bg-paper">
              <th scope="rowgroup" colSpan={5} className="pt-3 pb-1 text-left font-semibold">
                {day} <span className="font-normal text-soft">{plural(made.length, "change")}</span>
              </th>
            </tr>
            {made.map((change) => (
              <tr key={change.id} className="border-t border-rule align-top hover:bg-wash">
                <td className="py-1 pr-4" title={moment(change.at)}>
                  {ago(change.at)}
                </td>
                <td className="truncate py-1 pr-4">{change.who}</td>
                <td className="py-1 pr-4 break-words">
                  {change.kind}{" "}
                  {change.kind === "device" && /^\d+$/.test(change.item) ? (
                    <Link
                      className="underline decoration-rule underline-offset-4 hover:decoration-ink"
                      to={`/devices?open=device:${change.item}`}
                    >
                      {change.item}
                    </Link>
                  ) : (
                    change.item
                  )}
                </td>
                <td className="py-1 pr-4 break-words text-soft">{what(change)}</td>
                <td className="py-0.5 text-right">
                  {undone.has(change.id) ? (
                    <span className="text-sm text-soft">taken back</span>
                  ) : (
                    <Button
                      tone="quiet"
                      disabled={undo.isPending}
                      aria-label={`Undo change ${change.id}`}
                      onClick={() => undo.mutate(change.id)}
                    >
                      Undo
                    </Button>
                  )}
                  {undo.variables === change.id && undo.error ? (
                    <span role="alert" className="block text-sm text-alarm">
                      {undo.error.message}.
                    </span>
                  ) : null}
                </td>
              </tr>
            ))}
          </tbody>
        ))}
      </table>
      {changes.hasNextPage ? (
        <Button className="mt-3" disabled={changes.isFetchingNextPage} onClick={() => changes.fetchNextPage()}>
          Earlier ones
        </Button>
      ) : null}
    </div>
  );
}
