// The links as a plain list: the same as the map, for who reads rather than looks. A hand can say that two ports are not joined.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { LinkPage, LinkView } from "../../api/types";
import { moment, sentence } from "../../lib/format";
import { since } from "../../lib/ports";
import { when } from "../../lib/since";
import { Button } from "../../parts/basics";

const SHOWN = 100;

export function LinkLines({ page, now }: { page: LinkPage; now: boolean }) {
  const [all, setAll] = useState(false);
  return (
    <>
      {page.rings.map((ring) => (
        <p key={ring.number} className={`text-sm ${ring.loop ? "text-amber" : ""}`}>
          {sentence(ring.said)}.
        </p>
      ))}
      <ul className="mt-1">
        {page.items.slice(0, all ? page.items.length : SHOWN).map((one) => (
          <OneLink key={one.id} link={one} now={now} />
        ))}
      </ul>
      {page.items.length > SHOWN && !all ? (
        <Button tone="quiet" onClick={() => setAll(true)}>
          All {page.items.length}
        </Button>
      ) : null}
      {page.words.map((word) => (
        <Word key={`${word.one.called} ${word.other.called}`} word={word} />
      ))}
    </>
  );
}

function OneLink({ link, now }: { link: LinkView; now: boolean }) {
  const client = useQueryClient();
  const ports = link.ends.flatMap((end) => (end.port ? [end.port.id] : []));
  const deny = useMutation({
    mutationFn: () =>
      api.post("/api/v1/links/words", { body: { one: ports[0]!, other: ports[1]!, joined: false, notes: "" } }),
    onSettled: () => client.invalidateQueries({ queryKey: ["links"] }),
  });
  return (
    <li className="border-b border-rule py-1 text-sm">
      <details>
        <summary className="flex cursor-pointer flex-wrap items-baseline gap-x-3">
          <span className={link.blocked ? "text-soft" : ""}>{link.said}</span>
          <span className={`ml-auto ${link.known === "inferred" ? "text-amber" : "text-soft"}`}>
            {link.known}, {since(link.at_least)} {when(link.since, new Date())}
          </span>
        </summary>
        <ul className="list-disc pl-6 text-soft">
          {link.reasons.map((reason) => (
            <li key={reason}>{reason}</li>
          ))}
          {link.blocked_at ? <li>kept shut at {link.blocked_at}</li> : null}
          <li>
            {since(link.at_least)} {moment(link.since)}
            {link.until ? ` until ${moment(link.until)}` : ""}
          </li>
        </ul>
        {now && ports.length === 2 && link.known !== "stated" ? (
          <Button tone="quiet" className="my-1" disabled={deny.isPending} onClick={() => deny.mutate()}>
            These are not joined
          </Button>
        ) : null}
        {deny.error ? <p className="text-alarm">{deny.error.message}.</p> : null}
      </details>
    </li>
  );
}

function Word({ word }: { word: LinkPage["words"][number] }) {
  const client = useQueryClient();
  const forget = useMutation({
    mutationFn: () =>
      api.remove("/api/v1/links/words/{one}/{other}", {
        path: { one: word.one.port?.id ?? 0, other: word.other.port?.id ?? 0 },
      }),
    onSettled: () => client.invalidateQueries({ queryKey: ["links"] }),
  });
  return (
    <p className="mt-1 flex flex-wrap items-center gap-2 text-sm">
      A hand says: {word.one.called} and {word.other.called} {word.joined ? "are joined" : "are not joined"}
      {word.notes ? ` (${word.notes})` : ""}.
      <Button tone="quiet" disabled={forget.isPending} onClick={() => forget.mutate()}>
        Say nothing of it
      </Button>
    </p>
  );
}
