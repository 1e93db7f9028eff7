import { Dialog } from "radix-ui";
import type { ReactNode } from "react";
import { Button } from "./controls";

interface Props {
  title: string;
  words: string;
  wide?: boolean;
  onClose: () => void;
  children: ReactNode;
}

/** A dialog that is open for as long as it is there. */
export function Sheet({ title, words, wide, onClose, children }: Props) {
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/50" />
        <Dialog.Content
          onKeyDown={(event) => event.stopPropagation()}
          className={`thin-scroll fixed top-1/2 left-1/2 z-50 flex max-h-[90vh] max-w-[96vw] -translate-x-1/2 -translate-y-1/2 flex-col gap-3 overflow-y-auto rounded-xl border border-line bg-felt-1 p-5 shadow-2xl ${wide ? "w-[720px]" : "w-[460px]"}`}
        >
          <Dialog.Title className="text-[15px] font-semibold">{title}</Dialog.Title>
          <Dialog.Description className="text-soft">{words}</Dialog.Description>
          {children}
          <div className="flex justify-end">
            <Dialog.Close asChild>
              <Button>Close</Button>
            </Dialog.Close>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

interface FieldProps {
  label: string;
  value: string;
  type?: string;
  complete?: string;
  set: (value: string) => void;
}

/** A line of text with its label. */
export function Field({ label, value, type = "text", complete = "off", set }: FieldProps) {
  return (
    <label className="flex flex-col gap-0.5 text-soft">
      {label}
      <input
        type={type}
        value={value}
        autoComplete={complete}
        onChange={(event) => set(event.target.value)}
        className="h-8 rounded-md border border-line bg-felt-0 px-2 text-ink select-text"
      />
    </label>
  );
}
