import { body, client, type Schemas } from "../../api/client";
import { keys, queries } from "../../api/queries";
import { useStorage } from "../../api/studio";
import { Button } from "../../ui/controls";
import { say } from "../../ui/messages";

const GB = (bytes: number) => (bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${(bytes / 1e6).toFixed(0)} MB`);
const STATE: Record<string, string> = {
  ok: "",
  low: "under a tenth is free",
  full: "nothing more is written: under a fiftieth is free",
};

/** How full the disks are, what each shot takes, and what can be cleared without losing anything. */
export function StoragePart() {
  const storage = useStorage();
  if (storage.error) return <p role="alert">{storage.error.message}</p>;
  if (!storage.data) return <p className="text-soft">Counting what lies on the disks</p>;
  const { disks, shots } = storage.data;
  const again = () => void queries.invalidateQueries({ queryKey: keys.storage });
  const clearProxies = (shot: number) =>
    client
      .DELETE("/api/shots/{shot}/proxies", { params: { path: { shot } } })
      .catch((problem: Error) => say(problem.message))
      .finally(again);
  const clearUnneeded = (shot: number) =>
    body<Schemas["FreedOut"]>(client.POST("/api/shots/{shot}/clear-unneeded", { params: { path: { shot } } }))
      .then(({ freed }) => say(`${GB(freed)} came free.`))
      .catch((problem: Error) => say(problem.message))
      .finally(again);
  return (
    <div className="flex flex-col gap-5">
      <ul className="grid grid-cols-4 gap-2" aria-label="Disks">
        {disks.map((disk) => (
          <Disk key={disk.name} disk={disk} />
        ))}
      </ul>
      <p className="text-soft">
        Proxies are pictures for the screen; they come back when they are looked at. Of the plates only those go that no
        state, version or delivery has in it. Deliveries are cleared under Deliveries.
      </p>
      <table className="w-full border-separate border-spacing-y-1" aria-label="What shots take">
        <thead>
          <tr className="text-left text-soft">
            <th className="font-normal">Shot</th>
            <th className="text-right font-normal">Proxies</th>
            <th className="text-right font-normal">Plates</th>
            <th className="text-right font-normal">Deliveries</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {shots.map((row) => (
            <tr key={row.shot} className="[&>td]:bg-felt-2 [&>td]:py-1.5">
              <td className="rounded-l-md pl-3">
                <b className="font-medium">{row.shot_name}</b>{" "}
                <span className="text-soft">
                  {row.job_name}
                  {row.put_away ? ", put away" : ""}
                </span>
              </td>
              <td className="figure text-right text-soft">{GB(row.proxies)}</td>
              <td className="figure text-right text-soft">{GB(row.plates)}</td>
              <td className="figure text-right text-soft">{GB(row.deliveries)}</td>
              <td className="w-80 rounded-r-md pr-2 text-right">
                <span className="inline-flex gap-1.5">
                  <Button disabled={!row.unneeded} onClick={() => void clearUnneeded(row.shot)}>
                    {row.unneeded ? `Clear ${GB(row.unneeded)} not needed` : "All plates needed"}
                  </Button>
                  <Button disabled={!row.proxies} onClick={() => void clearProxies(row.shot)}>
                    Clear proxies
                  </Button>
                </span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Disk({ disk }: { disk: Schemas["DiskOut"] }) {
  const used = disk.total ? (100 * (disk.total - disk.free)) / disk.total : 100;
  const colour = { ok: "bg-quiet", low: "bg-noticeable", full: "bg-loud" }[disk.state] ?? "bg-quiet";
  return (
    <li className="flex flex-col gap-1.5 rounded-lg bg-felt-2 p-3">
      <span className="flex justify-between">
        <b className="font-medium">{disk.name}</b>
        <span className="figure text-soft">{GB(disk.free)} free</span>
      </span>
      <span className="h-1 overflow-hidden rounded bg-felt-0">
        <span className={`block h-full ${colour}`} style={{ width: `${used}%` }} />
      </span>
      <span className={disk.state === "ok" ? "text-faint" : "text-noticeable"}>
        {STATE[disk.state] || `of ${GB(disk.total)}`}
      </span>
    </li>
  );
}
