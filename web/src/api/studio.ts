import { useQuery } from "@tanstack/react-query";
import { body, client, type Schemas } from "./client";
import { keys } from "./queries";

export const useStorage = () =>
  useQuery({
    queryKey: keys.storage,
    queryFn: () => body<Schemas["StorageOut"]>(client.GET("/api/storage")),
    staleTime: 0,
  });

const OFTEN = 60_000;

/** How full the disks are; asked for now and then. */
export const useDisks = (on = true) =>
  useQuery({
    queryKey: keys.disks,
    queryFn: () => body<Schemas["DiskOut"][]>(client.GET("/api/storage/disks")),
    refetchInterval: OFTEN,
    enabled: on,
  });

/** What is worked on and what waits. */
export const useQueue = () =>
  useQuery({
    queryKey: keys.queue,
    queryFn: () => body<Schemas["QueueOut"]>(client.GET("/api/queue")),
    staleTime: 0,
    refetchInterval: 2_000,
  });

export const useForms = () =>
  useQuery({
    queryKey: keys.forms,
    queryFn: () => body<Schemas["FormOut"][]>(client.GET("/api/deliveries/forms")),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const usePresets = (job: number) =>
  useQuery({
    queryKey: keys.presets(job),
    queryFn: () => body<Schemas["PresetOut"][]>(client.GET("/api/jobs/{job}/presets", { params: { path: { job } } })),
  });

export const usePeople = () =>
  useQuery({ queryKey: keys.people, queryFn: () => body<Schemas["PersonOut"][]>(client.GET("/api/people")) });

export const useOthers = () =>
  useQuery({
    queryKey: keys.others,
    queryFn: () => body<Schemas["OthersOut"]>(client.GET("/api/session/others")),
    staleTime: 0,
  });

export const useMembers = (job: number) =>
  useQuery({
    queryKey: keys.members(job),
    queryFn: () => body<Schemas["MemberOut"][]>(client.GET("/api/jobs/{job}/members", { params: { path: { job } } })),
  });

/** Everybody who can be given a role. */
export const useKnown = (job: number, on: boolean) =>
  useQuery({
    queryKey: keys.known(job),
    queryFn: () => body<Schemas["KnownOut"][]>(client.GET("/api/jobs/{job}/people", { params: { path: { job } } })),
    enabled: on,
  });

/** The log of a job, or of the house (null). */
export const useLog = (job: number | null) =>
  useQuery({
    queryKey: keys.log(job),
    queryFn: () =>
      job === null
        ? body<Schemas["LogOut"][]>(client.GET("/api/log"))
        : body<Schemas["LogOut"][]>(client.GET("/api/jobs/{job}/log", { params: { path: { job } } })),
    staleTime: 0,
  });
