import { QueryClientProvider } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { useCallback, useEffect, useState } from "react";
import { client } from "../api/client";
import { useLiveUpdates } from "../api/events";
import { keys, queries, useSession } from "../api/queries";
import { Bench } from "../features/bench/Bench";
import { DeliveriesPage } from "../features/deliveries/DeliveriesPage";
import { JobsPage } from "../features/jobs/JobsPage";
import { SignIn } from "./SignIn";

export function App() {
  return (
    <QueryClientProvider client={queries}>
      <Tooltip.Provider delayDuration={500}>
        <Rooms />
      </Tooltip.Provider>
    </QueryClientProvider>
  );
}

/** The address says which room: / jobs, /deliveries, /shots/7 the bench. */
function useAddress(): [string, (to: string) => void] {
  const [address, setAddress] = useState(window.location.pathname);
  useEffect(() => {
    const back = () => setAddress(window.location.pathname);
    window.addEventListener("popstate", back);
    return () => window.removeEventListener("popstate", back);
  }, []);
  const go = useCallback((to: string) => {
    window.history.pushState(null, "", to);
    setAddress(to);
  }, []);
  return [address, go];
}

function Rooms() {
  const session = useSession();
  const [address, go] = useAddress();
  useLiveUpdates(session.data?.signed_in ?? false);
  if (session.error)
    return (
      <p role="alert" className="p-6">
        {session.error.message}
      </p>
    );
  if (!session.data) return null;
  if (!session.data.signed_in) return <SignIn />;
  const shot = address.match(/^\/shots\/(\d+)$/)?.[1];
  if (shot) return <Bench key={shot} shot={Number(shot)} onLeave={() => go("/")} />;
  const deliveries = address === "/deliveries";
  const leave = async () => {
    await client.DELETE("/api/session");
    void queries.invalidateQueries({ queryKey: keys.session });
  };
  const room = (to: string, words: string, here: boolean) => (
    <button
      type="button"
      aria-current={here ? "page" : undefined}
      onClick={() => go(to)}
      className={`h-7 rounded-md px-2.5 ${here ? "bg-felt-3 text-ink" : "text-soft hover:text-ink"}`}
    >
      {words}
    </button>
  );
  return (
    <div className="flex h-full flex-col">
      <header className="stitch-b flex h-[42px] shrink-0 items-center gap-2 px-3">
        <span className="mr-4 text-[14px]">
          <b className="font-semibold">hush</b> <span className="text-soft">patch</span>
        </span>
        {room("/", "Jobs and shots", !deliveries)}
        {room("/deliveries", "Deliveries", deliveries)}
        <span className="ml-auto text-soft">{session.data.name}</span>
        <button type="button" className="text-faint hover:text-ink" onClick={() => void leave()}>
          Sign out
        </button>
      </header>
      <main className="thin-scroll flex-1 overflow-y-auto">
        <div className="mx-auto max-w-[1080px] px-6 py-7">
          {deliveries ? <DeliveriesPage /> : <JobsPage onOpen={(id) => go(`/shots/${id}`)} />}
        </div>
      </main>
    </div>
  );
}
