import { AlertDialog } from "radix-ui";
import { useEffect } from "react";
import { useClash } from "../../api/changes";
import { useMessages } from "../../ui/messages";

/** Somebody else changed the fix first: theirs stands on the screen; one's own change can be made on top of it. */
export function ClashDialog() {
  const { clash, settle } = useClash();
  const dismiss = useMessages((state) => state.dismiss);
  useEffect(() => {
    if (clash) dismiss(); // it is said here
  }, [clash, dismiss]);
  if (!clash) return null;
  const button = "h-7 rounded-md px-3";
  return (
    <AlertDialog.Root open onOpenChange={(open) => !open && settle()}>
      <AlertDialog.Portal>
        <AlertDialog.Content className="fixed bottom-24 left-1/2 z-50 flex w-[460px] -translate-x-1/2 flex-col gap-3 rounded-xl border border-noticeable bg-felt-1 p-4 shadow-2xl">
          <AlertDialog.Title className="font-semibold">Two changes of one fix</AlertDialog.Title>
          <AlertDialog.Description className="text-soft">{clash.words}</AlertDialog.Description>
          <div className="flex justify-end gap-2">
            <AlertDialog.Cancel className={`${button} bg-felt-2 hover:bg-felt-3`}>
              Leave it as it stands
            </AlertDialog.Cancel>
            <AlertDialog.Action className={`${button} bg-thread font-medium text-felt-0`} onClick={clash.again}>
              Make mine on top
            </AlertDialog.Action>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}
