import { MoreHorizontal } from "lucide-react";
import { AlertDialog, DropdownMenu } from "radix-ui";

export interface MenuItem {
  words: string;
  act: () => void;
  /** What cannot be taken back is marked. */
  grave?: boolean;
  chosen?: boolean;
}

const ITEM =
  "flex h-7 cursor-pointer items-center rounded px-2 text-soft outline-none data-[highlighted]:bg-felt-3 data-[highlighted]:text-ink";

/** What else can be done with something, behind three dots. */
export function Menu({ label, groups }: { label: string; groups: MenuItem[][] }) {
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger
        aria-label={label}
        title={label}
        className="grid size-8 place-items-center rounded-md text-soft hover:bg-felt-3 hover:text-ink"
      >
        <MoreHorizontal size={16} />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-40 min-w-44 rounded-lg border border-line bg-felt-1 p-1 shadow-2xl"
        >
          {groups.map((items, k) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: groups have no name of their own
            <DropdownMenu.Group key={k} className={k ? "stitch-t mt-1 pt-1" : ""}>
              {items.map((item) => (
                <DropdownMenu.Item key={item.words} onSelect={item.act} className={ITEM}>
                  <span className={`flex-1 ${item.grave ? "text-[#f0846a]" : ""}`}>{item.words}</span>
                  {item.chosen && <span aria-hidden="true">✓</span>}
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.Group>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

interface ConfirmProps {
  title: string;
  words: string;
  act: string;
  onAct: () => void;
  onClose: () => void;
}

/** Asks once more before something goes for good. */
export function Confirm({ title, words, act, onAct, onClose }: ConfirmProps) {
  const button = "h-7 rounded-md px-3";
  return (
    <AlertDialog.Root open onOpenChange={(open) => !open && onClose()}>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 z-40 bg-black/50" />
        <AlertDialog.Content className="fixed top-1/2 left-1/2 z-50 flex w-[420px] -translate-x-1/2 -translate-y-1/2 flex-col gap-3 rounded-xl border border-line bg-felt-1 p-5 shadow-2xl">
          <AlertDialog.Title className="text-[15px] font-semibold">{title}</AlertDialog.Title>
          <AlertDialog.Description className="text-soft">{words}</AlertDialog.Description>
          <div className="flex justify-end gap-2">
            <AlertDialog.Cancel className={`${button} bg-felt-2 hover:bg-felt-3`}>Keep it</AlertDialog.Cancel>
            <AlertDialog.Action className={`${button} bg-loud font-medium text-felt-0`} onClick={onAct}>
              {act}
            </AlertDialog.Action>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}
