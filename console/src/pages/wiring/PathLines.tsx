// The way between two devices, cable by cable, with how well each is known; what is not known stands below.
import { Fragment } from "react";
import type { PathHop, PathView } from "../../api/types";
import { useOpen } from "../../lib/open";
import { Section } from "../../parts/basics";

export function PathLines({ path }: { path: PathView }) {
  return (
    <Section title={path.said}>
      <ol className="text-sm">
        {path.hops.map((hop, place) => (
          <Fragment key={`${hop.one.called} ${hop.other.called}`}>
            <li>
              <Stop before={path.hops[place - 1]} hop={hop} />
            </li>
            <li className="ml-1.5 border-l-2 border-ink py-0.5 pl-3 text-soft">
              {hop.said}
              {hop.vlan ? `, VLAN ${hop.vlan}` : ""}
            </li>
          </Fragment>
        ))}
        {path.hops.length ? <li>{path.hops[path.hops.length - 1]?.other.called}</li> : null}
      </ol>
      {path.lacks.map((lack) => (
        <p key={lack} className="mt-1 text-sm text-amber">
          Not known: {lack}.
        </p>
      ))}
    </Section>
  );
}

/** What stands between two cables: a device, or a switch with the ports that the way comes in and goes out by. */
function Stop({ before, hop }: { before: PathHop | undefined; hop: PathHop }) {
  const came = before?.other;
  if (!came?.switch || !hop.one.switch) return <>{hop.one.called}</>;
  return (
    <>
      {hop.one.switch.name}, in by <Port of={came.port} /> and out by <Port of={hop.one.port} />
    </>
  );
}

function Port({ of }: { of: { id: number; name: string } | null }) {
  const [, setOpen] = useOpen();
  if (!of) return <>a port that is not known</>;
  return (
    <button
      type="button"
      className="font-mono underline decoration-rule underline-offset-4 hover:decoration-ink"
      onClick={() => setOpen({ kind: "port", id: of.id })}
    >
      {of.name}
    </button>
  );
}
