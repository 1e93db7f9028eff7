import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { client, type Session } from "../api/client";
import { keys, queries } from "../api/queries";
import { useOthers } from "../api/studio";
import { Button } from "../ui/controls";
import { Field, Sheet } from "../ui/Sheet";

const ITEM =
  "flex h-7 cursor-pointer items-center rounded px-2 text-soft outline-none data-[highlighted]:bg-felt-3 data-[highlighted]:text-ink";

/** Who is signed in: their password, their sessions, the way out. */
export function Account({ session }: { session: Session }) {
  const [open, setOpen] = useState(false);
  const leave = async () => {
    await client.DELETE("/api/session");
    window.location.assign("/"); // nothing of what was seen stays in the page
  };
  return (
    <>
      <DropdownMenu.Root modal={false}>
        <DropdownMenu.Trigger className="h-7 rounded-md px-2 text-soft hover:bg-felt-2 hover:text-ink">
          {session.name}
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="end"
            sideOffset={4}
            className="z-40 min-w-44 rounded-lg border border-line bg-felt-1 p-1 shadow-2xl"
          >
            <DropdownMenu.Item className={ITEM} onSelect={() => setOpen(true)}>
              Password and sessions
            </DropdownMenu.Item>
            <DropdownMenu.Item className={ITEM} onSelect={() => void leave()}>
              Sign out
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {open && <Mine onClose={() => setOpen(false)} />}
    </>
  );
}

function Mine({ onClose }: { onClose: () => void }) {
  const others = useOthers().data?.others ?? 0;
  const [given, setGiven] = useState({ old: "", new: "" });
  const [said, setSaid] = useState("");
  const asked = (sent: Promise<unknown>, words: string) =>
    sent
      .then(
        () => setSaid(words),
        (problem: Error) => setSaid(problem.message),
      )
      .finally(() => {
        void queries.invalidateQueries({ queryKey: keys.others });
        void queries.invalidateQueries({ queryKey: keys.session });
      });
  return (
    <Sheet title="Password and sessions" words="Ten characters or more, not only figures." onClose={onClose}>
      <Field
        label="Password now"
        type="password"
        complete="current-password"
        value={given.old}
        set={(old) => setGiven({ ...given, old })}
      />
      <Field
        label="New password"
        type="password"
        complete="new-password"
        value={given.new}
        set={(next) => setGiven({ ...given, new: next })}
      />
      <Button
        look="main"
        disabled={!given.old || !given.new}
        onClick={() => void asked(client.POST("/api/session/password", { body: given }), "The password is changed.")}
      >
        Change the password
      </Button>
      <p className="stitch-t flex items-center gap-3 pt-3 text-soft">
        {others === 0
          ? "You are signed in here alone."
          : `You are signed in with ${others === 1 ? "one other browser" : `${others} other browsers`}.`}
        {others > 0 && (
          <Button
            className="ml-auto"
            onClick={() => void asked(client.DELETE("/api/session/others"), "They are signed out.")}
          >
            Sign out there
          </Button>
        )}
      </p>
      {said && <p role="status">{said}</p>}
    </Sheet>
  );
}
