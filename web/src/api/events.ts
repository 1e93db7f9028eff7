import { useEffect } from "react";
import type { Fix, TellRow, Tells } from "./client";
import { seenHere } from "./here";
import { fixNow, keys, queries } from "./queries";

const OWN_ANSWER = 200; // ms

interface Told {
  kind: string;
  fix?: number;
  shot?: number;
  hold?: number;
  frame?: number;
  drift?: number;
  passed?: number;
  lost?: boolean;
  version?: number;
  gone?: boolean;
  who?: string;
  window?: string;
  values?: Record<string, number>;
}

/** Keeps what is on screen as it is on the server, for as long as the component is mounted. */
export function useLiveUpdates(on: boolean) {
  useEffect(() => {
    if (!on) return;
    const source = new EventSource("/api/events");
    let opened = false;
    source.onopen = () => {
      if (opened) void queries.invalidateQueries(); // something may have been missed
      opened = true;
    };
    source.onmessage = (message) => {
      const told = JSON.parse(message.data) as Told;
      take(told);
    };
    return () => source.close();
  }, [on]);
}

export function take(told: Told) {
  if (told.kind === "again") void queries.invalidateQueries();
  if (told.kind === "held" && told.shot !== undefined) held(told);
  if (told.kind === "working" && told.shot !== undefined) working(told);
  if (told.kind === "hold" && told.shot !== undefined)
    void queries.invalidateQueries({ queryKey: keys.fixes(told.shot) });
  if (told.kind === "told" && told.shot !== undefined) {
    void queries.invalidateQueries({ queryKey: keys.fixes(told.shot) });
    if (told.fix !== undefined) void queries.invalidateQueries({ queryKey: keys.tells(told.fix) });
  }
  if ((told.kind === "order" || told.gone) && told.shot !== undefined) {
    void queries.invalidateQueries({ queryKey: keys.fixes(told.shot) });
    void queries.invalidateQueries({ queryKey: keys.shot(told.shot) }); // what undo would do has changed
  }
  if (told.kind === "judged" && told.fix !== undefined) judged(told);
  if (told.kind === "settled" && told.fix !== undefined) {
    void queries.invalidateQueries({ queryKey: ["evidence", told.fix] });
    if (told.shot !== undefined) void queries.invalidateQueries({ queryKey: keys.fixes(told.shot) });
  }
  if (told.kind === "fix" && told.fix !== undefined) void queries.invalidateQueries({ queryKey: keys.tells(told.fix) });
  if (told.kind === "fix" && told.shot !== undefined && told.fix !== undefined) {
    const { shot, fix } = told;
    // the news of our own change may come before its answer does: give that a moment
    setTimeout(() => {
      const known = fixNow(shot, fix);
      if (told.gone || !known || (told.version ?? 0) > known.version)
        void queries.invalidateQueries({ queryKey: keys.fixes(shot) });
    }, OWN_ANSWER);
  }
  if (told.kind === "jobs" || told.kind === "shot") {
    void queries.invalidateQueries({ queryKey: keys.jobs });
    void queries.invalidateQueries({ queryKey: ["cards"] });
    if (told.shot !== undefined) void queries.invalidateQueries({ queryKey: keys.shot(told.shot) });
  }
  if (told.kind === "proxies" && told.shot !== undefined)
    void queries.invalidateQueries({ queryKey: keys.proxies(told.shot) });
  if (told.kind === "delivery" || told.kind === "delivered") soon();
  if ((told.kind === "notes" || told.kind === "version") && told.shot !== undefined)
    void queries.invalidateQueries({ queryKey: keys.review(told.shot) });
  if (told.kind === "notes" || told.kind === "version" || told.kind === "shot")
    void queries.invalidateQueries({ queryKey: keys.reviews });
  if (told.kind === "report" && told.shot !== undefined)
    void queries.invalidateQueries({ queryKey: keys.report(told.shot) });
  if (told.kind === "members") {
    void queries.invalidateQueries({ queryKey: ["members"] });
    void queries.invalidateQueries({ queryKey: keys.jobs });
    void queries.invalidateQueries({ queryKey: keys.session });
  }
  if (told.kind === "here" && told.shot !== undefined) seenHere(told.shot, told.who ?? "", told.window ?? "", told.fix);
}

let asked: ReturnType<typeof setTimeout> | undefined;
/** Deliveries tell of every frame: the list is asked for once for all that came in half a second. */
function soon() {
  if (asked !== undefined) return;
  asked = setTimeout(() => {
    asked = undefined;
    void queries.invalidateQueries({ queryKey: keys.deliveries });
  }, 500);
}

/** One frame's tells came in. */
function judged(told: Told) {
  queries.setQueryData<Tells>(keys.tells(told.fix!), (tells) => {
    if (!tells || !told.values) return tells;
    const row = { ...told.values, frame: told.frame!, stale: false } as TellRow;
    const before = tells.frames.find((one) => one.frame === row.frame);
    const frames = [...tells.frames.filter((one) => one.frame !== row.frame), row].sort((a, b) => a.frame - b.frame);
    return { ...tells, frames, waiting: Math.max(0, tells.waiting - (before && !before.stale ? 0 : 1)) };
  });
}

function working(told: Told) {
  queries.setQueryData<Fix[]>(keys.fixes(told.shot!), (list) =>
    list?.map((fix) => {
      if (fix.id !== told.fix || fix.hold?.id !== told.hold || !fix.hold) return fix;
      const own = fix.hold.frames.filter((entry) => entry.by === told.hold).length;
      return { ...fix, hold: { ...fix.hold, state: "tracking", done: own + (told.passed ?? 0) } };
    }),
  );
}

function held(told: Told) {
  queries.setQueryData<Fix[]>(keys.fixes(told.shot!), (list) =>
    list?.map((fix) => {
      if (fix.id !== told.fix || fix.hold?.id !== told.hold || !fix.hold) return fix;
      const frames = fix.hold.frames.filter((entry) => entry.frame !== told.frame);
      frames.push({
        frame: told.frame!,
        drift: told.drift ?? 0,
        lost: told.lost ?? false,
        seen: 1,
        trouble: "",
        how: "",
        hidden: 0,
        off: 0,
        by: told.hold!,
      });
      frames.sort((a, b) => a.frame - b.frame);
      const before = fix.hold.frames.filter((entry) => entry.by === told.hold).length;
      const done = fix.hold.done - before + frames.filter((entry) => entry.by === told.hold).length;
      return { ...fix, hold: { ...fix.hold, state: "tracking", frames, done } };
    }),
  );
}
