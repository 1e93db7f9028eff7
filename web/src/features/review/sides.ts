import type { Shot, Version } from "../../api/client";

export const WIDE = 1280;

/** What can be looked at: the source, the shot as it stands now, a version. */
export interface Side {
  key: string;
  words: string;
  address: (frame: number) => string;
}

export function sidesOf(shot: Shot, versions: Version[], stamp: number): Side[] {
  return [
    ...versions.map((version) => ({
      key: `v${version.id}`,
      words: `${version.number} ${version.name}`,
      address: (frame: number) =>
        `/pictures/versions/${version.id}/${frame}.jpg?v=${version.id}&l=${version.look}&wide=${WIDE}`,
    })),
    {
      key: "now",
      words: "As it stands now",
      address: (frame: number) =>
        `/pictures/shots/${shot.id}/patched/${frame}.jpg?l=${shot.look_name}&wide=${WIDE}&t=${stamp}`,
    },
    {
      key: "source",
      words: "Source",
      address: (frame: number) => `/pictures/shots/${shot.id}/frames/${frame}.jpg?l=${shot.look_name}&wide=${WIDE}`,
    },
  ];
}

/** What is looked at first: the newest that was sent to review, or else the shot as it stands. */
export function firstSide(sides: Side[], versions: Version[]): string {
  const sent = versions.find((version) => version.sent);
  return sent ? `v${sent.id}` : (sides.find((side) => side.key === "now")?.key ?? "source");
}
