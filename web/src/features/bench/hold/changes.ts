import { client, type Fix, type Schemas } from "../../../api/client";
import { say } from "../../../ui/messages";
import type { Change } from "../shared/panel";
import { useBench } from "../store";
import { wanted } from "./draft";

type Pin = Schemas["PinData"];

/** Everything that can be asked of a fix's hold; each is one change that can be undone. */
export function holdChanges(fix: Fix, change: Change) {
  const { set } = useBench.getState();
  return {
    track(way: "both" | "ahead" | "back") {
      const now = wanted(fix, useBench.getState().draft);
      if (!now) return;
      change.mutate(
        ({ params, version }) =>
          client.POST("/api/fixes/{fix}/track", {
            params,
            body: { version, way, ground: now.ground, method: now.method },
          }),
        { onSuccess: () => set({ draft: null }) },
      );
    },
    onward(frame: number, way: "ahead" | "back", until: number | null, renew: boolean) {
      change.mutate(({ params, version }) =>
        client.POST("/api/fixes/{fix}/onward", { params, body: { version, frame, way, until, renew } }),
      );
    },
    key(frame: number, pins: Pin[], whole: boolean, reach: number) {
      change.mutate(({ params, version }) =>
        client.POST("/api/fixes/{fix}/keys", { params, body: { version, frame, pins, whole, reach } }),
      );
    },
    deleteKey(frame: number) {
      change.mutate(({ params, version }) =>
        client.POST("/api/fixes/{fix}/keys/delete", { params, body: { version, frame } }),
      );
    },
    redo(first: number, last: number) {
      change.mutate(({ params, version }) =>
        client.POST("/api/fixes/{fix}/redo-range", { params, body: { version, first, last } }),
      );
    },
    smooth(first: number, last: number, strength: number) {
      change.mutate(({ params, version }) =>
        client.POST("/api/fixes/{fix}/smooth", { params, body: { version, first, last, strength } }),
      );
    },
    throwAway(first: number, last: number) {
      change.mutate(({ params, version }) =>
        client.POST("/api/fixes/{fix}/throw-away", { params, body: { version, first, last } }),
      );
    },
    secondPass() {
      change.mutate(({ params, version }) =>
        client.POST("/api/fixes/{fix}/second-pass", { params, body: { version } }),
      );
    },
    off(off: [number, number][]) {
      change.mutate(({ params, version }) => client.PATCH("/api/fixes/{fix}/off", { params, body: { version, off } }));
    },
    ask(what: "stop" | "go-on") {
      if (!fix.hold) return;
      client
        .POST(what === "stop" ? "/api/holds/{hold}/stop" : "/api/holds/{hold}/go-on", {
          params: { path: { hold: fix.hold.id } },
        })
        .catch((problem: Error) => say(problem.message));
    },
  };
}
