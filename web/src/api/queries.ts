import { QueryClient, useQueries, useQuery } from "@tanstack/react-query";
import {
  body,
  client,
  csrf,
  type Delivery,
  type Fix,
  type Job,
  Problem,
  type Schemas,
  type Session,
  type Shot,
  setToken,
  type TellRow,
} from "./client";

export const queries = new QueryClient({
  defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false, staleTime: 30_000 } },
});

export const keys = {
  session: ["session"] as const,
  jobs: ["jobs"] as const,
  shot: (id: number) => ["shot", id] as const,
  fixes: (shot: number) => ["fixes", shot] as const,
  map: (hold: number, frame: number) => ["map", hold, frame] as const,
  maps: (hold: number, first: number, stamp: string) => ["maps", hold, first, stamp] as const,
  deliveries: ["deliveries"] as const,
  footage: (place: string) => ["footage", place] as const,
  examined: (place: string) => ["examined", place] as const,
  colour: ["colour"] as const,
  proxies: (shot: number) => ["proxies", shot] as const,
  storage: ["storage"] as const,
  disks: ["disks"] as const,
  queue: ["queue"] as const,
  forms: ["forms"] as const,
  presets: (job: number) => ["presets", job] as const,
  people: ["people"] as const,
  others: ["others"] as const,
  members: (job: number) => ["members", job] as const,
  known: (job: number) => ["known", job] as const,
  log: (job: number | null) => ["log", job ?? 0] as const,
  reviews: ["reviews"] as const,
  report: (shot: number) => ["report", shot] as const,
  review: (shot: number) => ["review", shot] as const,
  cards: (job: number) => ["cards", job] as const,
  jobStorage: (job: number) => ["storage", job] as const,
  tells: (fix: number) => ["tells", fix] as const,
  suggest: (fix: number, version: number) => ["suggest", fix, version] as const,
  evidence: (fix: number, hold: number) => ["evidence", fix, hold] as const,
  lines: (fix: number, version: number, frame: number) => ["lines", fix, version, frame] as const,
};

export function useSession() {
  return useQuery({
    queryKey: keys.session,
    queryFn: async () => {
      const session = await body<Session>(client.GET("/api/session"));
      setToken(session.csrf);
      return session;
    },
    staleTime: Number.POSITIVE_INFINITY,
  });
}

export const useJobs = () => useQuery({ queryKey: keys.jobs, queryFn: () => body<Job[]>(client.GET("/api/jobs")) });

export const useFootage = (place: string) =>
  useQuery({
    queryKey: keys.footage(place),
    queryFn: () => body<Schemas["FolderOut"]>(client.GET("/api/footage", { params: { query: { place } } })),
    staleTime: 0,
    retry: 0,
  });

/** All that can be known of footage; only asked for when a place is given. */
export const useExamined = (place: string | null) =>
  useQuery({
    queryKey: keys.examined(place ?? ""),
    queryFn: () =>
      body<Schemas["FoundOut"]>(client.GET("/api/footage/examine", { params: { query: { place: place ?? "" } } })),
    enabled: place !== null,
    staleTime: 5_000,
    retry: 0,
  });

export const useColour = () =>
  useQuery({
    queryKey: keys.colour,
    queryFn: () => body<Schemas["ColourOut"]>(client.GET("/api/colour")),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useProxies = (shot: number) =>
  useQuery({
    queryKey: keys.proxies(shot),
    queryFn: () => body<Schemas["ProxyOut"]>(client.GET("/api/shots/{shot}/proxies", { params: { path: { shot } } })),
    staleTime: 2_000,
  });

/** A change of a job or a shot: the list is asked for anew, whatever comes of it. */
export const ofJobs = (sent: Promise<unknown>, told: (words: string) => void) =>
  void sent
    .catch((problem: Error) => told(problem.message))
    .finally(() => queries.invalidateQueries({ queryKey: keys.jobs }));

/** Every shot of a job in short. */
export const useCards = (job: number) =>
  useQuery({
    queryKey: keys.cards(job),
    queryFn: () => body<Schemas["CardOut"][]>(client.GET("/api/jobs/{job}/cards", { params: { path: { job } } })),
    staleTime: 2_000,
  });

export const useJobStorage = (job: number) =>
  useQuery({
    queryKey: keys.jobStorage(job),
    queryFn: () => body<Schemas["JobStorageOut"]>(client.GET("/api/jobs/{job}/storage", { params: { path: { job } } })),
    staleTime: 10_000,
  });

/** Something was done for the first time: its hint need not come back. */
export async function doneOnce(what: string) {
  await queries.cancelQueries({ queryKey: keys.session }); // an answer from before would bring it back
  queries.setQueryData<Session>(keys.session, (now) => now && { ...now, done: [...now.done, what] });
  const made = client.POST("/api/session/done", { body: { what }, keepalive: true }); // also when the page is left at once
  await made.then(
    ({ data }) => data && queries.setQueryData<Session>(keys.session, data as Session),
    () => undefined, // it would only come back
  );
}

/** Sends a file; the typed client is for plain data. */
export async function send<T>(address: string, data: FormData): Promise<T> {
  const answer = await fetch(address, {
    method: "POST",
    body: data,
    credentials: "same-origin",
    headers: { "X-CSRFToken": csrf() },
  });
  const made = await answer.json().catch(() => null);
  if (!answer.ok)
    throw new Problem(made?.title ?? "The server could not take this file.", made?.kind ?? "server", answer.status);
  return made as T;
}

export const useShot = (shot: number) =>
  useQuery({
    queryKey: keys.shot(shot),
    queryFn: () => body<Shot>(client.GET("/api/shots/{shot}", { params: { path: { shot } } })),
  });

export const useFixes = (shot: number) =>
  useQuery({
    queryKey: keys.fixes(shot),
    queryFn: async () => {
      const list = await body<Fix[]>(client.GET("/api/shots/{shot}/fixes", { params: { path: { shot } } }));
      return newest(list, queries.getQueryData<Fix[]>(keys.fixes(shot)));
    },
  });

export const useDeliveries = () =>
  useQuery({ queryKey: keys.deliveries, queryFn: () => body<Delivery[]>(client.GET("/api/deliveries", {})) });

export const MAPS_AT_ONCE = 64;

/** The maps of a stretch of frames; `stamp` names which measures they are. */
export const mapsOptions = (hold: number, first: number, stamp: string) => ({
  queryKey: keys.maps(hold, first, stamp),
  queryFn: () =>
    body<Schemas["ManyMapsOut"]>(
      client.GET("/api/holds/{hold}/maps", {
        params: { path: { hold }, query: { first, last: first + MAPS_AT_ONCE - 1 } },
      }),
    ),
  staleTime: Number.POSITIVE_INFINITY,
  gcTime: 600_000,
});

export const mapOptions = (hold: number, frame: number) => ({
  queryKey: keys.map(hold, frame),
  queryFn: () =>
    body<Schemas["HoldMapOut"]>(client.GET("/api/holds/{hold}/maps/{frame}", { params: { path: { hold, frame } } })),
  staleTime: Number.POSITIVE_INFINITY,
  gcTime: 600_000,
  retry: 0,
});

/** A fix's tells; they come in one by one while workers measure. */
export const useTells = (fix: Fix | null) =>
  useQuery({
    queryKey: keys.tells(fix?.id ?? 0),
    queryFn: () =>
      body<Schemas["TellsOut"]>(client.GET("/api/fixes/{fix}/tells", { params: { path: { fix: fix!.id } } })),
    enabled: !!fix && !fix.lacks,
    staleTime: 3_000,
  });

/** The tells of every fix that is on and whole, for what is said of the shot as a whole. */
export function useAllTells(fixes: Fix[]): { fix: number; rows: TellRow[] }[] {
  const wanted = fixes.filter((fix) => fix.on && !fix.lacks);
  return useQueries({
    queries: wanted.map((fix) => ({
      queryKey: keys.tells(fix.id),
      queryFn: () =>
        body<Schemas["TellsOut"]>(client.GET("/api/fixes/{fix}/tells", { params: { path: { fix: fix.id } } })),
      staleTime: 3_000,
    })),
    combine: (answers) => answers.map((answer, k) => ({ fix: wanted[k]!.id, rows: answer.data?.frames ?? [] })),
  });
}

export const useSuggestions = (fix: Fix, on: boolean) =>
  useQuery({
    queryKey: keys.suggest(fix.id, fix.version),
    queryFn: () =>
      body<Schemas["SuggestOut"][]>(client.GET("/api/fixes/{fix}/suggest", { params: { path: { fix: fix.id } } })),
    enabled: on && !!fix.hold,
  });

/** What the shot says of its light and grain; it is read once its hold is done. */
export const useEvidence = (fix: Fix) =>
  useQuery({
    queryKey: keys.evidence(fix.id, fix.hold?.id ?? 0),
    queryFn: () =>
      body<Schemas["EvidenceOut"]>(client.GET("/api/fixes/{fix}/evidence", { params: { path: { fix: fix.id } } })),
    enabled: fix.hold?.state === "done" && fix.edge.nodes.length > 0,
    staleTime: Number.POSITIVE_INFINITY,
  });

/** Where the patch is full and where it ends; `frame` matters only for an edge that changes. */
export const useEdgeLines = (fix: Fix | null, frame: number, on: boolean) =>
  useQuery({
    queryKey: keys.lines(fix?.id ?? 0, fix?.version ?? 0, fix && isKeyed(fix) ? frame : 0),
    queryFn: () =>
      body<Schemas["LinesOut"]>(
        client.GET("/api/fixes/{fix}/edge-lines", { params: { path: { fix: fix!.id }, query: { frame } } }),
      ),
    enabled: on && !!fix && fix.edge.outlines.length > 0,
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: (before) => before,
  });

const isKeyed = (fix: Fix) => fix.edge.outlines.some((one) => (one.keys?.length ?? 0) > 1 || !!one.span);

/** A list that was asked for before a change of ours came through must not take that change back. */
export function newest(fetched: Fix[], known: Fix[] | undefined): Fix[] {
  return fetched.map((fix) => {
    const ours = known?.find((entry) => entry.id === fix.id);
    return ours && ours.version > fix.version ? ours : fix;
  });
}

/** Put a fix into the list of its shot, unless a newer one is there already. */
export function keepFix(fix: Fix) {
  queries.setQueryData<Fix[]>(keys.fixes(fix.shot), (list) => {
    if (!list) return [fix];
    const known = list.find((entry) => entry.id === fix.id);
    if (known && known.version > fix.version) return list;
    return known ? list.map((entry) => (entry.id === fix.id ? fix : entry)) : [...list, fix];
  });
}

export function fixNow(shot: number, id: number): Fix | undefined {
  return queries.getQueryData<Fix[]>(keys.fixes(shot))?.find((fix) => fix.id === id);
}
