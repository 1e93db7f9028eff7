// Run after each change of package-lock.json: platform packages that this machine's registry does not carry are dropped
// from a fresh lock, and `npm ci` then refuses it. Names, versions and platforms are enough for npm to skip them.
import { readFileSync, writeFileSync } from "node:fs";

const file = new URL("../package-lock.json", import.meta.url);
const lock = JSON.parse(readFileSync(file, "utf8"));

function platform(name) {
  const words = name.split("/").pop().split("-");
  const os = ["android", "darwin", "freebsd", "linux", "win32", "openbsd", "netbsd", "sunos", "aix"].find((word) => words.includes(word));
  const cpu = ["arm64", "x64", "arm", "ia32", "wasm32", "ppc64", "riscv64", "s390x", "loong64"].find((word) => words.includes(word));
  const libc = words.includes("musl") ? ["musl"] : words.some((word) => word === "gnu") ? ["glibc"] : undefined;
  return { ...(cpu ? { cpu: [cpu] } : {}), ...(os ? { os: [os] } : {}), ...(libc ? { libc } : {}) };
}

let added = 0;
for (const [place, entry] of Object.entries(lock.packages)) {
  for (const [name, version] of Object.entries(entry.optionalDependencies ?? {})) {
    const nested = place ? `${place}/node_modules/${name}` : `node_modules/${name}`;
    if (lock.packages[`node_modules/${name}`] || lock.packages[nested]) continue;
    lock.packages[`node_modules/${name}`] = { version: version.replace(/^[\^~]/, ""), optional: true, ...platform(name) };
    added += 1;
  }
}
lock.packages = Object.fromEntries(Object.entries(lock.packages).sort(([a], [b]) => (a < b ? -1 : 1)));
writeFileSync(file, `${JSON.stringify(lock, null, 2)}\n`);
console.log(`${added} platform stubs added`);
