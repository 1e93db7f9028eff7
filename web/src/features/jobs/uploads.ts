import * as tus from "tus-js-client";
import { create } from "zustand";

const CHUNK = 8_000_000;
const AT_ONCE = 3;

export interface Uploading {
  name: string;
  size: number;
  sent: number;
  state: "waiting" | "sending" | "done" | "failed" | "stopped";
  problem: string;
}

interface Uploads {
  files: Uploading[];
  change: (index: number, part: Partial<Uploading>) => void;
}

export const useUploads = create<Uploads>((set) => ({
  files: [],
  change: (index, part) =>
    set((state) => ({ files: state.files.map((file, k) => (k === index ? { ...file, ...part } : file)) })),
}));

const running = new Map<number, tus.Upload>();
let line: Promise<unknown>[] = [];

/** Sends files into the storage's upload folder, a few at a time. One that broke off goes on where it stopped. */
export function sendFiles(chosen: File[], into: string, done: () => void) {
  const start = useUploads.getState().files.length;
  useUploads.setState((state) => ({
    files: [
      ...state.files,
      ...chosen.map((file) => ({
        name: placeOf(file),
        size: file.size,
        sent: 0,
        state: "waiting" as const,
        problem: "",
      })),
    ],
  }));
  const waiting = chosen.map((file, k) => ({ file, index: start + k }));
  const next = async (): Promise<void> => {
    const entry = waiting.shift();
    if (!entry) return;
    await sendOne(entry.file, entry.index, into);
    return next();
  };
  line = Array.from({ length: AT_ONCE }, next);
  void Promise.all(line).then(done);
}

const placeOf = (file: File) => file.webkitRelativePath || file.name;

async function sendOne(file: File, index: number, into: string): Promise<void> {
  const { change, files } = useUploads.getState();
  if (files[index]?.state === "stopped") return;
  const place = [into.trim(), placeOf(file)].filter(Boolean).join("/");
  await new Promise<void>((over) => {
    const upload = new tus.Upload(file, {
      endpoint: "/api/uploads",
      chunkSize: CHUNK,
      retryDelays: [0, 1000, 3000, 8000, 20_000],
      metadata: { place },
      removeFingerprintOnSuccess: true,
      fingerprint: async () => `hush ${place} ${file.size} ${file.lastModified}`,
      onProgress: (sent) => change(index, { sent, state: "sending" }),
      onSuccess: () => {
        change(index, { sent: file.size, state: "done" });
        over();
      },
      onError: (error) => {
        change(index, { state: "failed", problem: wordsOf(error) });
        over();
      },
      onShouldRetry: (error) => {
        const status = (error as tus.DetailedError).originalResponse?.getStatus() ?? 0;
        return status === 0 || status === 409 || status === 423 || status >= 502;
      },
    });
    running.set(index, upload);
    void upload.findPreviousUploads().then((before) => {
      if (before[0]) upload.resumeFromPreviousUpload(before[0]);
      upload.start();
    });
  });
  running.delete(index);
}

export function stopUploads() {
  for (const [index, upload] of running) {
    void upload.abort();
    useUploads
      .getState()
      .change(index, { state: "stopped", problem: "Stopped; choose it again to go on where it stopped." });
  }
  useUploads.setState((state) => ({
    files: state.files.map((file) => (file.state === "waiting" ? { ...file, state: "stopped" } : file)),
  }));
}

function wordsOf(error: Error | tus.DetailedError): string {
  const text = (error as tus.DetailedError).originalResponse?.getBody();
  try {
    return JSON.parse(text ?? "").title;
  } catch {
    return "The line broke; choose the file again to go on where it stopped.";
  }
}
