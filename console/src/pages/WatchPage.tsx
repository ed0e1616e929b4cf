// What the service does by itself: links it listens on, subnets it looks at again, where notices go.
import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import { Notice } from "../parts/basics";
import { LinkBlock } from "./watch/LinkBlock";
import { NoticeRoutes } from "./watch/NoticeRoutes";
import { WatchList } from "./watch/WatchList";

export default function WatchPage() {
  const links = useQuery({ queryKey: ["listening"], queryFn: () => api.all("/api/v1/listening") });
  const watches = useQuery({
    queryKey: ["watches"],
    queryFn: () => api.all("/api/v1/watches"),
    refetchInterval: 15_000,
  });
  const wrong = links.error ?? watches.error;
  return (
    <div className="mx-auto max-w-6xl px-5 py-5">
      <h1 className="text-2xl font-semibold">Watch</h1>
      {wrong ? <Notice tone="alarm">{wrong.message}</Notice> : null}
      {links.data?.length === 0 ? <p className="mt-2 text-soft">Nothing is listened to yet.</p> : null}
      {links.data?.map((link) => (
        <LinkBlock key={link.adapter} link={link} />
      ))}
      {watches.data ? <WatchList watches={watches.data} /> : null}
      <NoticeRoutes />
    </div>
  );
}
