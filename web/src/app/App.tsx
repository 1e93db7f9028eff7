import { QueryClientProvider } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { useCallback, useEffect, useState } from "react";
import type { Session } from "../api/client";
import { useLiveUpdates } from "../api/events";
import { queries, useSession } from "../api/queries";
import { useDisks } from "../api/studio";
import { Bench } from "../features/bench/Bench";
import { DeliveriesPage, type Part } from "../features/deliveries/DeliveriesPage";
import { JobsPage } from "../features/jobs/JobsPage";
import { PeoplePage } from "../features/people/PeoplePage";
import { ReviewRoom } from "../features/review/ReviewRoom";
import { ReviewsPage } from "../features/review/ReviewsPage";
import { Account } from "./Account";
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

/** The address says which room: / jobs, /review, /deliveries, /people; /shots/7 the bench, /review/7 a shot looked at. */
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
  const { works, house } = session.data;
  const shot = Number(address.match(/^\/shots\/(\d+)$/)?.[1]);
  if (shot && works)
    return <Bench key={shot} shot={shot} onLeave={() => go("/")} onReview={() => go(`/review/${shot}`)} />;
  const looked = Number(address.match(/^\/(?:review|shots)\/(\d+)$/)?.[1]);
  if (looked)
    return (
      <ReviewRoom
        key={looked}
        shot={looked}
        onLeave={() => go("/review")}
        onWork={works ? () => go(`/shots/${looked}`) : null}
      />
    );
  return <Pages session={session.data} room={roomOf(address, works, house)} address={address} go={go} />;
}

type Room = "jobs" | "review" | "deliveries" | "people";

/** What an address shows; a reviewer has the review alone. */
function roomOf(address: string, works: boolean, house: boolean): Room {
  if (!works || address.startsWith("/review")) return "review";
  if (address.startsWith("/deliveries")) return "deliveries";
  return address === "/people" && house ? "people" : "jobs";
}

interface PagesProps {
  session: Session;
  room: Room;
  address: string;
  go: (to: string) => void;
}

/** The rooms with a list in them, under one bar. */
function Pages({ session, room, address, go }: PagesProps) {
  const link = (to: string, words: string, id: Room) => (
    <button
      type="button"
      aria-current={room === id ? "page" : undefined}
      onClick={() => go(to)}
      className={`h-7 rounded-md px-2.5 ${room === id ? "bg-felt-3 text-ink" : "text-soft hover:text-ink"}`}
    >
      {words}
    </button>
  );
  const part = (address.match(/^\/deliveries\/(queue|storage)$/)?.[1] ?? "") as Part;
  return (
    <div className="flex h-full flex-col">
      <header className="stitch-b flex h-[42px] shrink-0 items-center gap-2 px-3">
        <span className="mr-4 text-[14px]">
          <b className="font-semibold">hush</b> <span className="text-soft">patch</span>
        </span>
        {session.works && link("/", "Jobs and shots", "jobs")}
        {link("/review", "Review", "review")}
        {session.works && link("/deliveries", "Deliveries", "deliveries")}
        {session.house && link("/people", "People", "people")}
        <span className="ml-auto" />
        {session.works && <DiskWarning onOpen={() => go("/deliveries/storage")} />}
        <Account session={session} />
      </header>
      <main className="thin-scroll flex-1 overflow-y-auto">
        <div className="mx-auto max-w-[1080px] px-6 py-7">
          {room === "jobs" && <JobsPage onOpen={(id) => go(`/shots/${id}`)} />}
          {room === "review" && <ReviewsPage onOpen={(id) => go(`/review/${id}`)} />}
          {room === "deliveries" && <DeliveriesPage part={part} go={go} />}
          {room === "people" && <PeoplePage me={session.id} />}
        </div>
      </main>
    </div>
  );
}

/** Said on every page as long as a disk is nearly full. */
function DiskWarning({ onOpen }: { onOpen: () => void }) {
  const low = (useDisks().data ?? []).filter((disk) => disk.state !== "ok");
  if (low.length === 0) return null;
  const full = low.some((disk) => disk.state === "full");
  return (
    <button type="button" onClick={onOpen} className={full ? "text-loud" : "text-noticeable"}>
      {full ? "A disk is full" : "A disk is nearly full"}: {low.map((disk) => disk.name.toLowerCase()).join(", ")}
    </button>
  );
}
