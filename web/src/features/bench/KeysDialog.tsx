import { Dialog } from "radix-ui";
import { KEYS, OTHERS } from "./keys";

/** Every key of the bench, in words. */
export function KeysDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Dialog.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/50" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-50 w-[900px] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 rounded-xl border border-line bg-felt-1 p-5 shadow-2xl"
        >
          <Dialog.Title className="mb-3 text-[15px] font-semibold">Keys</Dialog.Title>
          <div className="grid grid-cols-3 gap-6">
            {Object.entries(KEYS).map(([group, list]) => (
              <section key={group} aria-label={group}>
                <h3 className="stitch-b mb-2 pb-1 text-soft">{group}</h3>
                <dl className="grid grid-cols-[auto_1fr] items-baseline gap-x-3 gap-y-1.5">
                  {[...list.map(({ shown, words }) => [shown, words] as const), ...(OTHERS[group] ?? [])].map(
                    ([shown, words]) => (
                      <div key={shown} className="contents">
                        <dt>
                          <kbd className="figure whitespace-nowrap rounded bg-felt-3 px-1.5 py-0.5 text-[11px]">
                            {shown}
                          </kbd>
                        </dt>
                        <dd className="text-soft">{words}</dd>
                      </div>
                    ),
                  )}
                </dl>
              </section>
            ))}
          </div>
          <Dialog.Close className="mt-4 h-7 rounded-md border border-line px-3 text-soft hover:text-ink">
            Close
          </Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
