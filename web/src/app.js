// What the sheets do in the browser: forms keep what was typed when something is
// refused, keys named in the title block work, times count down.
import htmx from "htmx.org/dist/htmx.esm.js";
import Alpine from "@alpinejs/csp";
import "./bed.js";
import "./roll.js";
import "./live.js";
import { keepPhotos, keepsPhotos, offline } from "./offline.js";
import { scanning } from "./scan.js";

const typing = (el) => el.closest("input:not([type=checkbox]):not([type=radio]), textarea, select, [contenteditable]");
const letters = () => document.body.dataset.letters !== "off";

// Keys: digits open the sheets, arrows move along the rows, a letter does the thing
// that carries it. Never while typing, never with a modifier.
document.addEventListener("keydown", (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey || e.defaultPrevented || typing(e.target)) return;
  if (e.key === "ArrowDown" || e.key === "ArrowUp") {
    const rows = [...document.querySelectorAll("[data-row]")];
    if (!rows.length) return;
    const at = rows.findIndex((r) => r.contains(document.activeElement));
    const next = rows[Math.max(0, Math.min(rows.length - 1, at + (e.key === "ArrowDown" ? 1 : -1)))];
    (next.matches("a,button") ? next : next.querySelector("a, button"))?.focus();
    e.preventDefault();
    return;
  }
  if (e.key.length !== 1 || !letters()) return;
  const el = document.querySelector(`[data-key="${CSS.escape(e.key.toLowerCase())}"]`);
  if (!el) return;
  e.preventDefault();
  if (el.matches("input, select, textarea")) el.focus();
  else if (el.matches("details")) el.open = !el.open;
  else el.click();
});

// A refusal is shown in the notice; bring it to sight and to screen readers.
document.addEventListener("htmx:after:swap", () => {
  const notice = document.querySelector("#notice > .notice");
  if (notice && !notice.dataset.seen) {
    notice.dataset.seen = "1";
    notice.scrollIntoView({ block: "nearest" });
    notice.focus({ preventScroll: true });
    notice.querySelectorAll("[data-field]").forEach(atField);
  }
});
// What is wrong with a field stands at the field until something else is typed there.
function atField(wrong, i) {
  const field = [...(sent?.elements ?? [])].find((el) => el.name === wrong.dataset.field && el.type !== "hidden");
  if (!field) return;
  const word = Object.assign(document.createElement("small"), { className: "wrong", textContent: wrong.textContent, id: `wrong-${i}` });
  field.insertAdjacentElement("afterend", word);
  field.setAttribute("aria-invalid", "true");
  field.setAttribute("aria-describedby", word.id);
  field.addEventListener("input", () => { word.remove(); field.removeAttribute("aria-invalid"); field.removeAttribute("aria-describedby"); }, { once: true });
  const details = field.closest("details");
  if (details) details.open = true;
  if (i === 0) field.focus();
}
let sent = null;
document.addEventListener("submit", (e) => {
  sent = e.target;
  sent.querySelectorAll("small.wrong").forEach((word) => word.remove());
}, true);

// Opening one working closes the one before; Escape closes it.
document.addEventListener("toggle", (e) => {
  if (!e.target.matches?.("details.working") || !e.target.open) return;
  document.querySelectorAll("details.working[open]").forEach((d) => { if (d !== e.target) d.open = false; });
}, true);
document.addEventListener("keydown", (e) => {
  if (e.key === "Escape") document.querySelectorAll("details.working[open]").forEach((d) => (d.open = false));
});
document.addEventListener("click", (e) => {
  document.querySelectorAll("details.working[open]").forEach((d) => { if (!d.contains(e.target)) d.open = false; });
});

// A form marked so is sent as soon as something in it changes.
document.addEventListener("change", (e) => {
  const form = e.target.form;
  if (form?.dataset.send === "change") form.requestSubmit();
});

// Forms that bring files: sent as soon as files are chosen, with a bar that says how
// much has arrived and a way to break off.
function upload(form) {
  const bar = form.querySelector(".uploading"), [progress, text, cancel] = bar.children;
  const x = new XMLHttpRequest();
  const end = (why) => { bar.hidden = true; form.removeAttribute("aria-busy"); form.reset(); if (why) refuse(why); };
  form.setAttribute("aria-busy", "true");
  bar.hidden = false;
  progress.value = 0;
  text.textContent = "on its way …";
  cancel.onclick = () => x.abort();
  x.upload.onprogress = (e) => {
    progress.value = e.loaded / e.total;
    const mb = (n) => (n / 1048576).toFixed(n < 10485760 ? 1 : 0);
    text.textContent = e.loaded < e.total ? `${mb(e.loaded)} of ${mb(e.total)} MB` : "arrived; being read …";
  };
  x.onload = () => {
    const to = x.getResponseHeader("HX-Redirect");
    if (x.status === 200 && to) {
      if (new URL(to, location).pathname === location.pathname) location.reload();
      else location.assign(to);
      return;
    }
    end(new DOMParser().parseFromString(x.responseText, "text/html").body.textContent.trim());
  };
  x.onabort = () => end("Broken off; nothing was kept.");
  x.onerror = () => keepsPhotos(form) ? keepPhotos(form).then(() => end(""), () => end("The network is away, and this tablet keeps nothing: take it again later.")) : end("The studio's computer did not answer; nothing was kept. Send it again.");
  x.open("POST", form.action);
  x.setRequestHeader("HX-Request", "true");
  x.send(new FormData(form));
}
function refuse(text) {
  const p = Object.assign(document.createElement("p"), { className: "notice", textContent: text, tabIndex: -1 });
  p.setAttribute("role", "alert");
  document.querySelector("#notice")?.replaceChildren(p);
  p.scrollIntoView({ block: "nearest" });
  p.focus({ preventScroll: true });
}
document.addEventListener("change", (e) => {
  const form = e.target.form;
  if (e.target.type === "file" && e.target.files.length && form?.hasAttribute("data-upload")) upload(form);
});
document.addEventListener("submit", (e) => {
  if (!e.target.hasAttribute?.("data-upload")) return;
  e.preventDefault();
  upload(e.target);
});

// A tap on a picture marks where a flaw is: its place goes along with the form, from the left and the top.
document.addEventListener("click", (e) => {
  const img = e.target.closest?.("[data-marking] img, [data-marking] svg")?.parentElement?.querySelector("img");
  if (!img) return;
  const box = img.getBoundingClientRect(), marking = img.closest("[data-marking]");
  const at = { x: (e.clientX - box.left) / box.width, y: (e.clientY - box.top) / box.height };
  for (const k of ["x", "y"]) marking.querySelector(`[name=${k}]`).value = Math.min(1, Math.max(0, at[k])).toFixed(4);
  marking.querySelectorAll("svg").forEach((old) => old.remove());
  img.parentElement.insertAdjacentHTML("beforeend", `<svg viewBox="0 0 100 100" preserveAspectRatio="none" aria-hidden="true"><ellipse cx="${100 * at.x}" cy="${100 * at.y}" rx="6" ry="8"/></svg>`);
  img.parentElement.querySelector("input").checked = true;
  marking.querySelector("[data-marking-say]").textContent = "Marked. Tap again to move it.";
});

// What a finger draws on a photograph goes along with its form, from the left and the top.
document.querySelectorAll("[data-drawable]").forEach((el) => {
  const svg = el.querySelector("svg"), kept = el.closest("form").elements.strokes;
  const list = JSON.parse(kept.value || "[]");
  let line = null, drawn = null;
  const at = (e) => { const box = svg.getBoundingClientRect(); return [(e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height].map((v) => Number(Math.min(1, Math.max(0, v)).toFixed(4))); };
  const show = () => drawn.setAttribute("points", line.map(([x, y]) => `${100 * x},${100 * y}`).join(" "));
  svg.addEventListener("pointerdown", (e) => {
    e.preventDefault();
    svg.setPointerCapture(e.pointerId);
    line = [at(e)];
    drawn = svg.appendChild(document.createElementNS("http://www.w3.org/2000/svg", "polyline"));
    show();
  });
  svg.addEventListener("pointermove", (e) => { if (line && line.length < 400) { line.push(at(e)); show(); } });
  const end = () => {
    if (!line) return;
    if (line.length > 1) list.push(line);
    else drawn.remove();
    line = null;
    kept.value = JSON.stringify(list);
    el.parentElement.querySelector("[data-drawable-say]").textContent = list.length ? "Drawn: keep it when it is right." : "Draw on it with a finger.";
  };
  svg.addEventListener("pointerup", end);
  svg.addEventListener("pointercancel", end);
  el.parentElement.querySelector("[data-undraw]").addEventListener("click", () => {
    if (!list.length) return;
    list.pop();
    svg.lastElementChild.remove();
    kept.value = JSON.stringify(list);
  });
});

// Long work tells how far it is; when the last of it has ended the sheet is new.
document.querySelectorAll("[data-jobs]").forEach((el) => {
  const from = new EventSource(el.dataset.jobs);
  from.addEventListener("jobs", (e) => { el.innerHTML = e.data; });
  from.addEventListener("over", () => { from.close(); location.reload(); });
  addEventListener("pagehide", () => from.close());
});

// A sheet whose work is still going on asks for itself again.
document.querySelectorAll("[data-again]").forEach((el) => setTimeout(() => location.reload(), Number(el.dataset.again)));

// What a person has unfolded stays so when a sheet is drawn again around it.
let unfolded = [];
document.addEventListener("htmx:before:swap", () => { unfolded = [...document.querySelectorAll("details[data-keep][open]")].map((d) => d.dataset.keep); });
document.addEventListener("htmx:after:swap", () => {
  document.querySelectorAll("details[data-keep]").forEach((d) => { if (unfolded.includes(d.dataset.keep)) d.open = true; });
});

// The lines of an item are asked for when they are unfolded, and again after a change.
document.addEventListener("toggle", async (e) => {
  const d = e.target;
  if (!d.matches?.("details[data-lines]") || !d.open) return;
  const answer = await fetch(d.dataset.lines, { headers: { "HX-Request": "true" } });
  if (answer.ok) d.querySelector("div").innerHTML = await answer.text();
}, true);

// A new price is there at once; its range follows. Only the newest answer counts.
let asked = 0;
document.addEventListener("htmx:after:swap", async (e) => {
  const el = document.querySelector("[data-range]");
  if (!el || (e.target.id !== "priced" && e.detail?.ctx?.target?.id !== "priced")) return;
  const turn = ++asked;
  el.setAttribute("aria-busy", "true");
  const answer = await fetch(el.dataset.range, { headers: { "HX-Request": "true" } });
  const text = await answer.text();
  if (turn !== asked || !answer.ok) return;
  el.innerHTML = text;
  htmx.process(el);
  el.removeAttribute("aria-busy");
});

// What an extra is asked for depends on what it is.
Alpine.data("extra", () => ({
  kind: "bought",
  set(e) { this.kind = e.target.value; },
  get priced() { return !["sculpt", "restore"].includes(this.kind); },
  get worked() { return !["freight", "licence"].includes(this.kind); },
  get sculpt() { return this.kind === "sculpt"; },
  get restore() { return this.kind === "restore"; },
  get ground() { return this.kind === "base"; },
  get trial() { return this.kind === "trial"; },
  get goods() { return ["bought", "soft"].includes(this.kind); },
}));

// Files dropped on a drop field go into its file input, and the form is sent.
Alpine.data("drop", () => ({
  over: false,
  enter() { this.over = true; },
  leave() { this.over = false; },
  take(e) {
    this.over = false;
    const input = this.$root.querySelector("input[type=file]");
    if (!e.dataTransfer?.files.length) return;
    input.files = e.dataTransfer.files;
    input.dispatchEvent(new Event("change", { bubbles: true }));
  },
}));

// A clock at the bench: it goes on from what has run so far by the server, at the rate that is this work's share.
Alpine.data("watch", () => ({
  seconds: 0, timer: 0,
  init() {
    const ran = Number(this.$root.dataset.ran ?? 0), rate = Number(this.$root.dataset.rate ?? 0), from = Date.now();
    const tick = () => { this.seconds = Math.floor(ran + rate * (Date.now() - from) / 1000); };
    tick();
    if (rate > 0) this.timer = setInterval(tick, 500);
  },
  destroy() { clearInterval(this.timer); },
  get text() { return `${Math.floor(this.seconds / 60)}:${String(this.seconds % 60).padStart(2, "0")}`; },
}));

// On an emptied plate the cause is asked only for what failed.
Alpine.data("outcome", () => ({
  what: "",
  init() { this.what = this.$root.querySelector("input[type=radio]:checked")?.value ?? ""; },
  set(e) { this.what = e.target.value; },
  get asks() { return this.what === "failed" || this.what === "scrapped"; },
  get flawedOrFailed() { return this.flawed || this.asks; },
  get flawed() { return this.what === "rework" || this.what === "hidden"; },
  get mends() { return this.what === "rework"; },
}));

// Who wants it is told when a run has ended: in the title of every sheet, as a notice of the browser
// where that is allowed, with a sound if wanted. What is wanted is kept in this browser.
const wants = (what) => { try { return localStorage.getItem(`sakuji-${what}`) === "1"; } catch { return false; } };
const want = (what, on) => { try { localStorage.setItem(`sakuji-${what}`, on ? "1" : "0"); } catch { /* not kept */ } };
let fullBefore = null, titled = document.title;
function beep() {
  try {
    const audio = new AudioContext(), tone = audio.createOscillator(), gain = audio.createGain();
    gain.gain.value = 0.08;
    tone.connect(gain).connect(audio.destination);
    tone.start();
    tone.stop(audio.currentTime + 0.4);
  } catch { /* no sound here */ }
}
async function ended() {
  if (!wants("ends")) return;
  let answer;
  try { answer = await fetch("/plates/ends.json"); } catch { return; }
  if (!answer.ok || !answer.headers.get("Content-Type")?.includes("json")) return;
  const { full } = await answer.json();
  if (!wants("ends")) return; // it was switched off meanwhile
  const first = document.title.startsWith("● ") ? titled : (titled = document.title);
  document.title = full.length ? `● ${full.map((f) => f.machine).join(", ")}: empty ${full.length > 1 ? "them" : "it"} · ${first}` : first;
  const fresh = fullBefore && full.filter((f) => !fullBefore.includes(f.plate));
  fullBefore = full.map((f) => f.plate);
  for (const f of fresh ?? []) {
    if (wants("sound")) beep();
    if ("Notification" in window && Notification.permission === "granted") new Notification(`Plate ${f.plate} is finished`, { body: `${f.machine} wants emptying.`, tag: `plate-${f.plate}` });
  }
}
Alpine.data("ends", () => ({
  on: wants("ends"), sound: wants("sound"),
  get label() { return this.on ? "This browser tells when a run ends: stop that" : "Tell me when a run ends"; },
  get soundLabel() { return this.sound ? "without a sound" : "with a sound"; },
  async toggle() {
    this.on = !this.on;
    want("ends", this.on);
    if (this.on && "Notification" in window && Notification.permission === "default") await Notification.requestPermission();
    if (this.on) ended(); else document.title = titled;
  },
  toggleSound() { this.sound = !this.sound; want("sound", this.sound); if (this.sound) beep(); },
}));
setInterval(ended, 20000);
ended();

// Waits count down in minutes; when one ends the sheet is asked for again.
setInterval(() => {
  const now = Date.now() + Number(document.body.dataset.ahead ?? 0);
  document.querySelectorAll("[data-until]").forEach((el) => {
    const left = Math.ceil((Number(el.dataset.until) - now) / 60000);
    if (left <= 0) { if (!el.dataset.over) { el.dataset.over = "1"; el.textContent = "now"; } return; }
    el.textContent = left < 60 ? `${left} min` : `${Math.floor(left / 60)} h ${String(left % 60).padStart(2, "0")}`;
  });
}, 1000);

// How far the studio's clock is ahead of this tablet's; a sheet that the tablet has kept was drawn long ago.
const ahead = () => {
  const { now, kept } = document.body.dataset, by = Number(now) - Date.now();
  try {
    if (kept === undefined) localStorage.setItem("sakuji-ahead", String(by));
    document.body.dataset.ahead = localStorage.getItem("sakuji-ahead") ?? String(by);
  } catch { document.body.dataset.ahead = String(by); }
};
ahead();
offline();
scanning();
Alpine.start();
