// Who was there at the moment that the time slider shows.
import { useQuery } from "@tanstack/react-query";
import { api } from "../../api/client";
import { moment } from "../../lib/format";
import { Notice } from "../../parts/basics";
import { StayList } from "../device/StayList";

export function AtMoment({ subject, at }: { subject: string; at: string }) {
  const told = useQuery({
    queryKey: ["at", subject, at],
    queryFn: () => api.get("/api/v1/at", { query: { subject, time: at } }),
    placeholderData: (before) => before,
  });
  if (told.error) return <Notice tone="alarm">{told.error.message}</Notice>;
  return (
    <div className="mt-2 rounded border border-ink px-3 py-2">
      <p className="text-sm text-soft">On {moment(at)}</p>
      {told.data?.sentences.map((one, place) => (
        <p key={one} className={place === 0 ? "font-semibold" : "mt-1"}>
          {one}
        </p>
      ))}
      {told.data && told.data.stays.length > 0 ? (
        <StayList stays={told.data.stays} show={told.data.kind === "address" ? "holder" : "address"} />
      ) : null}
    </div>
  );
}
