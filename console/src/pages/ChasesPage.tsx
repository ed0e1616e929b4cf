// Chases: choose what to watch, write down which cables are looked for, and go to the rack.
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api } from "../api/client";
import { ago, plural, sentence } from "../lib/format";
import { Button, Field, Input, inputLook, Notice, Section } from "../parts/basics";

export default function ChasesPage() {
  const navigate = useNavigate();
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const [devices, setDevices] = useState("");
  const [cables, setCables] = useState("");
  const switches = useQuery({
    queryKey: ["switches"],
    queryFn: ({ signal }) => api.all("/api/v1/switches", { signal }),
  });
  const chases = useQuery({ queryKey: ["chases"], queryFn: ({ signal }) => api.all("/api/v1/chases", { signal }) });
  const begin = useMutation({
    mutationFn: () =>
      api.post("/api/v1/chases", {
        body: {
          name: "",
          switches: [...chosen].map(String),
          devices: devices.split(",").flatMap((one) => one.trim() || []),
          cables: cables.split("\n").flatMap((one) => one.trim() || []),
        },
      }),
    onSuccess: (made) => void navigate(`/chases/${made.id}`),
  });
  const toggle = (id: number) =>
    setChosen((before) => new Set(before.has(id) ? [...before].filter((one) => one !== id) : [...before, id]));
  return (
    <div className="mx-auto max-w-2xl px-4 py-4">
      <h1 className="text-2xl font-semibold">Find cables</h1>
      <p className="mt-1 text-soft">
        Pull a cable at the far end: within a second it says here which port lost its link, and who hung there.
      </p>
      <form
        className="mt-3 flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          begin.mutate();
        }}
      >
        <fieldset>
          <legend className="mb-1 text-sm font-semibold">Watch these switches</legend>
          <div className="flex flex-wrap gap-x-4 gap-y-1">
            {switches.data?.map((one) => (
              <label key={one.id} className="flex min-h-8 items-center gap-1.5">
                <input type="checkbox" checked={chosen.has(one.id)} onChange={() => toggle(one.id)} />
                {one.name}
              </label>
            ))}
          </div>
          {switches.data?.length === 0 ? (
            <p className="text-sm text-soft">
              None is read yet:{" "}
              <Link to="/switches" className="underline decoration-rule underline-offset-4">
                add switches
              </Link>
              .
            </p>
          ) : null}
        </fieldset>
        <Field
          label="And ask these devices"
          hint="for what hangs on switches that are not read: names or addresses of the own links, with commas"
        >
          <Input value={devices} onChange={(event) => setDevices(event.target.value)} />
        </Field>
        <Field label="Cables to find, one a line" hint="what is written here becomes the note of the port">
          <textarea
            className={`${inputLook} h-28 w-full`}
            value={cables}
            onChange={(event) => setCables(event.target.value)}
          />
        </Field>
        {begin.error ? <Notice tone="alarm">{sentence(begin.error.message)}.</Notice> : null}
        <div>
          <Button tone="ink" type="submit" disabled={begin.isPending || (!chosen.size && !devices.trim())}>
            Watch
          </Button>
        </div>
      </form>
      {chases.data?.length ? (
        <Section title="Earlier">
          <ul>
            {chases.data.map((one) => (
              <li key={one.id} className="border-b border-rule py-1.5">
                <Link to={`/chases/${one.id}`} className="underline decoration-rule underline-offset-4">
                  {one.name}
                </Link>{" "}
                <span className="text-sm text-soft">
                  {one.on ? "watching" : "over"}, begun {ago(one.begun_at)}
                  {one.cables.length
                    ? `, ${one.cables.filter((cable) => cable.port).length} of ${plural(one.cables.length, "cable")} found`
                    : ""}
                </span>
              </li>
            ))}
          </ul>
        </Section>
      ) : null}
    </div>
  );
}
