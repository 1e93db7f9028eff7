import { X } from "lucide-react";
import { create } from "zustand";

interface Messages {
  words: string | null;
  say: (words: string) => void;
  dismiss: () => void;
}

/** The one line in which things that went wrong, or need saying, are told. */
export const useMessages = create<Messages>((set) => ({
  words: null,
  say: (words) => set({ words }),
  dismiss: () => set({ words: null }),
}));

export const say = (words: string) => useMessages.getState().say(words);

export function MessageLine() {
  const { words, dismiss } = useMessages();
  if (!words) return null;
  return (
    <div
      role="alert"
      className="absolute bottom-3 left-1/2 z-40 flex max-w-[640px] -translate-x-1/2 items-start gap-3 rounded-lg border border-noticeable bg-felt-0 px-3 py-2 shadow-xl"
    >
      <span>{words}</span>
      <button type="button" aria-label="Dismiss" onClick={dismiss} className="mt-0.5 text-soft hover:text-ink">
        <X size={14} />
      </button>
    </div>
  );
}
