// The part sheet's canvas: a model that is turned, cut, tinted and flown over.
import "./marking.js";
import { Color, DoubleSide, Group, Mesh, MeshBasicMaterial, RingGeometry, SphereGeometry, TorusGeometry, Vector3 } from "three";
import { read, tone, turntable } from "./turn.js";

const sheet = document.getElementById("part");
if (sheet?.dataset.view) start().catch((why) => say(`It cannot be turned here (${why.message}); the picture stands in for it.`));

function say(text) { document.getElementById("part-say").textContent = text; }

async function start() {
  const tools = document.getElementById("part-tools"), legend = sheet.querySelector(".legend");
  const facts = JSON.parse(document.getElementById("part-data").textContent);
  const model = await read(sheet.dataset.view);
  const { canvas, flat, shape, box, middle, span, scene, cut, outside, inside, within, marks, camera, controls, draw, hold, fit, look, directions } = turntable(sheet, model, facts.inside);
  tools.hidden = false;
  tools.querySelector("[data-tint=faces]").hidden = model.kind.length === 0;
  say("Drag to turn, wheel or two fingers to come nearer; arrow keys, + − and 0 do the same.");

  let tint = "plain", picked = -1;
  const least = facts.least;
  const bodies = 1 + model.body.reduce((a, b) => Math.max(a, b), 0);
  const hues = ["clay", "indigo", "moss", "ochre", "persimmon", "ink2"];
  function colour() {
    const clay = new Color(0xd8c7a6), warn = tone("persimmon"), ochre = tone("ochre"), moss = tone("moss");
    const palette = hues.map((h) => (h === "clay" ? clay : tone(h)));
    inside.color.copy(tint === "plain" ? tone("persimmon") : tone("ink2"));
    const out = shape.attributes.color.array, normal = shape.attributes.normal.array;
    const c = new Color();
    for (let t = 0; t < model.triangles; t++) {
      for (let k = 0; k < 3; k++) {
        c.copy(clay);
        if (tint === "overhang") {
          const z = flat[9 * t + 2];
          if (normal[9 * t + 2] < -Math.SQRT1_2 && Math.min(z, flat[9 * t + 5], flat[9 * t + 8]) > box.min.z + 0.2) c.copy(warn);
        } else if (tint === "walls") {
          const mm = model.wall[model.corner[3 * t + k]];
          if (mm >= 0) c.copy(mm < least.resin ? warn : mm < least.filament ? ochre : clay).lerp(moss, mm < least.filament ? 0 : Math.min(1, mm / 12) * 0.7);
        } else if (tint === "faces") {
          if (model.kind[t] > 0) c.copy([clay, tone("indigo"), ochre, tone("ink2")][model.kind[t]]).lerp(tone("paper"), 0.25);
        } else if (tint === "bodies") {
          const b = model.body[t];
          c.copy(palette[b % palette.length]);
          if (picked >= 0 && b !== picked) c.lerp(tone("paper"), 0.7);
        }
        out.set([c.r, c.g, c.b], 9 * t + 3 * k);
      }
    }
    shape.attributes.color.needsUpdate = true;
    explain();
    draw();
  }
  function explain() {
    const key = (name, text) => `<span><i data-tone="${name}"></i>${text}</span>`;
    legend.hidden = tint === "plain";
    legend.innerHTML = {
      plain: "",
      overhang: key("persimmon", "leans over more than 45°: wants holding as it stands"),
      walls: key("persimmon", `under ${least.resin} mm`) + key("ochre", `under ${least.filament} mm, too thin for filament`) + key("clay", "enough") + key("moss", "thick: hollow it"),
      faces: key("clay", "seen: finished and paid for") + key("indigo", "inside: finished where a part asks for it") + key("ochre", "lies against another part") + key("ink2", "stands on the ground"),
      bodies: [...Array(Math.min(6, bodies))].map((_, i) => key(hues[i], `body ${i + 1}`)).join(""),
    }[tint];
  }

  tools.addEventListener("click", (e) => {
    const b = e.target.closest("button");
    if (b?.dataset.tint) {
      tint = b.dataset.tint;
      tools.querySelectorAll("[data-tint]").forEach((o) => o.setAttribute("aria-pressed", String(o === b)));
      colour();
    } else if (b?.dataset.from) look(directions[b.dataset.from]);
  });

  // A section: what lies before the plane is left out, the inside of walls shows red.
  const cutHere = document.getElementById("cut-here");
  const axis = document.getElementById("cut-axis"), at = document.getElementById("cut-at"), place = tools.querySelector("output");
  function section() {
    const on = axis.value !== "";
    at.disabled = !on;
    outside.clippingPlanes = inside.clippingPlanes = on ? [cut] : [];
    within.visible = on || facts.inside;
    place.textContent = "";
    if (on) {
      const low = box.min[axis.value], high = box.max[axis.value], where = low + (high - low) * at.value / 1000;
      // Keep what is below, behind, or to the right of the plane, as seen from the front.
      const side = { z: [0, 0, -1], y: [0, 1, 0], x: [-1, 0, 0] }[axis.value];
      cut.normal.set(...side);
      cut.constant = axis.value === "y" ? -where : where;
      place.textContent = `${(where - low).toFixed(1)} mm`;
      if (cutHere) cutHere.href = `/models/${facts.id}/prints?axis=${axis.value}&at=${(where - low).toFixed(1)}#cut`;
    }
    if (cutHere) cutHere.hidden = !on;
    outside.needsUpdate = inside.needsUpdate = true;
    draw();
  }
  axis.addEventListener("change", section);
  at.addEventListener("input", section);

  // Faults: a ring where each is, a button that flies there.
  const ring = new RingGeometry(span * 0.016, span * 0.021, 28), dot = new RingGeometry(0, span * 0.006, 12);
  const still = matchMedia("(prefers-reduced-motion: reduce)").matches;
  const byAdvice = new Map();
  for (const s of facts.spots ?? []) {
    const list = byAdvice.get(s.advice) ?? [];
    list.push(s);
    byAdvice.set(s.advice, list);
    const paint = new MeshBasicMaterial({ color: tone("persimmon"), depthTest: false, transparent: true, side: DoubleSide });
    for (const g of [ring, dot]) {
      const m = new Mesh(g, paint);
      m.position.set(...s.at);
      m.renderOrder = 2;
      m.visible = !s.quiet; // what costs nothing if left shows when it is flown to
      (s.marks ??= []).push(m);
      marks.add(m);
    }
  }
  function fly(s) {
    for (const m of marks.children) m.visible = !(facts.spots.find((o) => o.marks.includes(m))?.quiet);
    for (const m of s.marks) m.visible = true;
    const target = new Vector3(...s.at), zoom = Math.min(40, Math.max(1.5, span / Math.max(6 * s.size, span / 12)));
    // From where the fault faces outward: away from the middle.
    const away = target.clone().sub(middle);
    if (away.length() < 0.02 * span) away.set(...directions.all);
    away.z += 0.15 * span;
    if (still) { look(away.toArray(), target, zoom); sheet.dataset.flown = "1"; return; }
    const from = { p: camera.position.clone().sub(controls().target).normalize(), t: controls().target.clone(), z: camera.zoom }, to = away.normalize(), begun = performance.now();
    const step = (now) => {
      const k = Math.min(1, (now - begun) / 450), e = k * k * (3 - 2 * k);
      look(from.p.clone().lerp(to, e).toArray(), from.t.clone().lerp(target, e), from.z + (zoom - from.z) * e);
      if (k < 1) requestAnimationFrame(step);
      else sheet.dataset.flown = "1";
    };
    requestAnimationFrame(step);
  }
  document.querySelectorAll("button.spot").forEach((b) => {
    const s = byAdvice.get(Number(b.dataset.advice))?.[Number(b.dataset.spot)];
    if (!s) return;
    b.hidden = false;
    b.addEventListener("click", () => { fly(s); canvas.scrollIntoView({ block: "nearest" }); });
  });

  // As it stands on its plate: seen with the plate below, the tips of its supports marked.
  const stand = document.getElementById("part-stand"), tips = new Group();
  tips.visible = false;
  scene.add(tips);
  if (facts.held) {
    const tip = new SphereGeometry(span * 0.006, 8, 6), paint = new MeshBasicMaterial({ color: tone("persimmon") });
    for (const p of facts.held) {
      const m = new Mesh(tip, paint);
      m.position.set(...p);
      tips.add(m);
    }
    const ringed = new TorusGeometry(span * 0.02, span * 0.003, 6, 24);
    for (const p of facts.places ?? []) { // cups, and supports that nobody takes out
      const m = new Mesh(ringed, new MeshBasicMaterial({ color: tone("persimmon"), depthTest: false }));
      m.position.set(...p);
      m.renderOrder = 2;
      tips.add(m);
    }
  }
  stand?.addEventListener("click", () => {
    tips.visible = !tips.visible;
    stand.setAttribute("aria-pressed", String(tips.visible));
    camera.up.set(...(tips.visible ? facts.down.map((x) => -x) : [0, 0, 1]));
    // From a little above the plate's level, wherever up is now.
    const up = camera.up.clone().normalize(), side = Math.abs(up.z) < 0.9 ? new Vector3(0, 0, 1) : new Vector3(0.49, 0.87, 0);
    side.addScaledVector(up, -side.dot(up)).normalize();
    hold();
    look(side.multiplyScalar(-1).addScaledVector(up, 0.35).toArray());
  });

  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", colour);
  fit();
  look(directions.all);
  colour();
  sheet.dataset.ready = "1";
}
