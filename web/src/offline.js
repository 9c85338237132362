// What hands send while the network is away stays on the tablet and arrives once it is back: once, for each form
// carries its act; in order; as theirs, whoever is signed in by then; and what is refused then is told. A worker keeps the
// sheets of the bench that were opened, so that they can be opened again meanwhile, until somebody must sign in.
const shelf = "sakuji-queue";
const read = () => { try { return JSON.parse(localStorage.getItem(shelf) ?? "[]"); } catch { return []; } };
const write = (list) => { try { localStorage.setItem(shelf, JSON.stringify(list)); return true; } catch { return false; } };
const clock = () => Date.now() + Number(document.body.dataset.ahead ?? 0);
const hand = () => document.body.dataset.hand ?? "";
const lock = () => globalThis.caches?.delete("sheets-1"); // sw.js keeps them under this name

// Whether an answer says that nothing was decided: the studio is busy, has been ended, or somebody else answers in its place.
const open = (answer) => answer.status >= 500 || answer.status === 429 || answer.headers.has("X-Signed-Out") || answer.ok && !answer.headers.has("HX-Redirect");
const why = async (answer) => new DOMParser().parseFromString(await answer.text(), "text/html").body.textContent.trim() || `it was refused (${answer.status}).`;

// What a form of the bench would have sent is kept when it did not arrive.
let last = null;
document.addEventListener("submit", (e) => {
  const form = e.target, path = new URL(form.action, location).pathname;
  last = null;
  if (form.method !== "post" || !path.startsWith("/bench/") || path === "/bench/hand") return;
  const fields = new URLSearchParams(new FormData(form, e.submitter));
  const said = (e.submitter?.textContent ?? "").trim().split(":")[0];
  last = { path, body: fields.toString(), act: fields.get("act"), by: hand(), at: clock(), what: `${document.querySelector("h1")?.textContent ?? path}: ${said}` };
}, true);
document.addEventListener("htmx:error", () => {
  if (!last) return;
  const list = read();
  const kept = list.some((q) => q.act && q.act === last.act) || write([...list, last]);
  tell(kept ? "" : "The network is away, and this tablet keeps nothing: do it again later.");
  last = null;
  later();
});

// Photographs are too large for that shelf: they lie in a database of the browser, and follow once all else has arrived.
const drawer = () => new Promise((ok, no) => {
  const asked = indexedDB.open("sakuji-photos", 1);
  asked.onupgradeneeded = () => asked.result.createObjectStore("photos", { autoIncrement: true });
  asked.onsuccess = () => ok(asked.result);
  asked.onerror = () => no(asked.error);
});
const done = (asked) => new Promise((ok, no) => { asked.onsuccess = () => ok(asked.result); asked.onerror = () => no(asked.error); });
let photos = 0, refused = []; // those that wait, and those that were refused and wait for somebody to say what becomes of them
async function count() {
  try {
    const shelf = (await drawer()).transaction("photos").objectStore("photos");
    const [keys, all] = await Promise.all([done(shelf.getAllKeys()), done(shelf.getAll())]);
    refused = all.map((kept, k) => ({ ...kept, key: keys[k] })).filter((kept) => kept.why);
    photos = all.length - refused.length;
  } catch { photos = 0; refused = []; }
}
// A photograph that is kept still is changed; what was dropped meanwhile does not come back.
async function change(key, f) {
  const shelf = (await drawer()).transaction("photos", "readwrite").objectStore("photos"), kept = await done(shelf.get(key));
  if (kept) await done(shelf.put(f(kept), key));
}
// Somebody has said what becomes of a photograph that was refused: it is sent again (as it is), or dropped.
async function decide(key, again) {
  if (again) await change(key, ({ why: _, ...kept }) => kept);
  else await done((await drawer()).transaction("photos", "readwrite").objectStore("photos").delete(key));
  await count();
  tell("");
  if (again) send();
}
export const keepsPhotos = (form) => /^\/bench\/[^/]+\/photos$/.test(new URL(form.action, location).pathname);
export async function keepPhotos(form) {
  const files = [...new FormData(form)].filter(([, f]) => f instanceof File && f.size).map(([field, f]) => ({ field, name: f.name, data: f }));
  await done((await drawer()).transaction("photos", "readwrite").objectStore("photos").add({ path: new URL(form.action, location).pathname, files, by: hand(), at: clock() }));
  await count();
  tell("");
  later();
}
async function sendPhotos() {
  if (!photos || read().some((q) => !q.why)) return 0;
  const db = await drawer(), shelf = (how) => db.transaction("photos", how).objectStore("photos");
  let arrived = 0;
  for (const key of await done(shelf("readonly").getAllKeys())) {
    const kept = await done(shelf("readonly").get(key)), body = new FormData();
    if (!kept || kept.why) continue;
    for (const f of kept.files) body.append(f.field, f.data, f.name);
    body.set("queued", String(Math.round(kept.at)));
    if (kept.by) body.set("queued_by", kept.by);
    const answer = await fetch(kept.path, { method: "POST", body, headers: { "HX-Request": "true" } });
    if (answer.headers.has("X-Signed-Out")) lock();
    if (open(answer)) break;
    if (answer.ok) {
      arrived++;
      await done(shelf("readwrite").delete(key));
      continue;
    }
    const reason = await why(answer); // before the drawer is opened, which closes by itself
    await change(key, (kept) => ({ ...kept, why: reason })); // only a person drops it
  }
  await count();
  return arrived;
}

// Sending: one after the other, for what follows may count on what came before it.
let sending = false;
async function send() {
  if (sending || !photos && !read().some((q) => !q.why)) return;
  sending = true;
  let arrived = 0;
  try {
    for (let q; (q = read().find((x) => !x.why));) {
      const body = new URLSearchParams(q.body);
      body.set("queued", String(Math.round(q.at)));
      if (q.by) body.set("queued_by", q.by);
      const answer = await fetch(q.path, { method: "POST", body, headers: { "HX-Request": "true" } });
      if (answer.headers.has("X-Signed-Out")) lock(); // it stays until somebody signs in
      if (open(answer)) break;
      const refusal = !answer.ok && await why(answer);
      const list = read(), at = list.findIndex((x) => x.act === q.act && x.at === q.at);
      if (at < 0) continue;
      if (refusal) list[at].why = refusal;
      else { list.splice(at, 1); arrived++; }
      write(list);
    }
    arrived += await sendPhotos();
  } catch { /* it is away still */ }
  sending = false;
  tell("");
  if (arrived && !document.activeElement.closest?.("main form")) location.reload();
  else later();
}
let wait = 0;
function later() {
  clearTimeout(wait);
  if (photos || read().some((q) => !q.why)) wait = setTimeout(send, 3000);
}

// What is kept here stands on every sheet.
function tell(text) {
  const list = read(), old = document.querySelector("#queue");
  old?.remove();
  const waiting = list.filter((q) => !q.why), clashes = list.filter((q) => q.why), { kept, now } = document.body.dataset;
  if (!text && !list.length && !photos && !refused.length && kept === undefined) return;
  const box = Object.assign(document.createElement("div"), { id: "queue", className: "notice" });
  box.setAttribute("role", "status");
  const line = (words) => { const p = document.createElement("p"); p.textContent = words; box.append(p); return p; };
  if (text) line(text);
  if (kept !== undefined) line(`The network is away: this sheet is as it was at ${new Date(Number(now)).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" })}.`);
  const button = (p, words, then) => {
    const b = Object.assign(document.createElement("button"), { type: "button", className: "plain", textContent: words });
    b.addEventListener("click", then);
    p.append(b, " ");
  };
  if (waiting.length) line(`The network is away. Kept on this tablet, and sent when it is back: ${waiting.map((q) => q.what).join("; ")}.`);
  if (photos) line(`The network is away. ${photos === 1 ? "A photograph is" : `${photos} photographs are`} kept on this tablet, and sent when it is back.`);
  for (const q of clashes) {
    button(line(`${q.what} did not count: ${q.why} `), "I have seen it", () => { write(read().filter((x) => !(x.act === q.act && x.at === q.at))); tell(""); });
  }
  for (const kept of refused) {
    const p = line(`A photograph of ${kept.path.split("/")[2]} was refused: ${kept.why} It is kept on this tablet. `);
    const seen = Object.assign(document.createElement("a"), { href: URL.createObjectURL(kept.files[0].data), target: "_blank", textContent: "look at it" });
    p.append(seen, " ");
    button(p, "send it again", () => decide(kept.key, true));
    button(p, "drop it", () => decide(kept.key, false));
  }
  document.querySelector("#notice")?.before(box);
}

export function offline() {
  tell("");
  count().then(() => { if (photos || refused.length) { tell(""); send(); } });
  if (document.querySelector("[data-locked]")) lock();
  addEventListener("online", send);
  document.addEventListener("visibilitychange", () => { if (!document.hidden) send(); });
  send();
  if ("serviceWorker" in navigator && document.body.classList.contains("bench")) navigator.serviceWorker.register("/sw.js").catch(() => {});
}

// Who signs out takes the kept sheets along.
document.addEventListener("submit", (e) => {
  if (new URL(e.target.action, location).pathname === "/sign-out") navigator.serviceWorker?.controller?.postMessage("forget");
}, true);
