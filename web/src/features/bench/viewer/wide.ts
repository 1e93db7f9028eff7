import { useSyncExternalStore } from "react";

const SIDE_BY_SIDE = "(min-width: 1600px)";

/** Whether both pictures have room side by side. */
export const useWide = () =>
  useSyncExternalStore(
    (changed) => {
      const query = window.matchMedia(SIDE_BY_SIDE);
      query.addEventListener("change", changed);
      return () => query.removeEventListener("change", changed);
    },
    () => window.matchMedia(SIDE_BY_SIDE).matches,
  );
