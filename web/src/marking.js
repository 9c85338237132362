// The sheet on which a region is marked on a model: a tap marks all up to the edges, or a dab; the studio says what that
// is, how large, and which facets have it.
import { Raycaster, RingGeometry, Mesh, MeshBasicMaterial, DoubleSide, Color, Vector2, Vector3 } from "three";
import { read, tone, turntable } from "./turn.js";

const sheet = document.getElementById("marking");
if (sheet?.dataset.view) start().catch((why) => say(`It cannot be marked here (${why.message}).`));

function say(text) { document.getElementById("marking-say").textContent = text; }

async function start() {
  const form = document.getElementById("marking-form"), kept = form.elements.marks, told = document.getElementById("marking-told");
  const model = await read(sheet.dataset.view);
  const { canvas, flat, shape, span, scene, camera, controls, draw, fit, look, directions } = turntable(sheet, model, false);
  form.hidden = false;
  say("Tap where it is. Drag to turn, wheel or two fingers to come nearer; arrow keys turn, + − come nearer, Enter marks the middle.");
  let list = JSON.parse(kept.value || "[]"), turn = 0, has = [];

  const clay = new Color(0xd8c7a6);
  function colour() {
    const out = shape.attributes.color.array, own = new Color(sheet.dataset.colour || tone("persimmon"));
    for (let k = 0; k < 3 * model.triangles; k++) out.set([clay.r, clay.g, clay.b], 3 * k);
    for (const [from, many] of has) for (let k = 3 * from; k < 3 * (from + many); k++) out.set([own.r, own.g, own.b], 3 * k);
    shape.attributes.color.needsUpdate = true;
    draw();
  }

  // What has been marked is asked for again after each change; only the newest answer counts.
  async function ask() {
    const mine = ++turn;
    kept.value = JSON.stringify(list);
    sheet.dataset.idle = "0";
    const answer = await fetch(form.dataset.ask, { method: "POST", body: new URLSearchParams(new FormData(form)), headers: { "HX-Request": "true" } });
    if (mine !== turn) return;
    if (!answer.ok) { say(new DOMParser().parseFromString(await answer.text(), "text/html").body.textContent.trim()); return; }
    const got = await answer.json();
    has = got.runs;
    told.textContent = got.text;
    colour();
  }
  const value = (name) => Number(form.elements[name].value.replace(",", "."));
  function mark(x, y) {
    const ray = new Raycaster();
    ray.setFromCamera(new Vector2(x, y), camera);
    const hit = ray.intersectObject(scene.children[0])[0];
    if (!hit) return;
    const p = hit.point;
    list.push({ at: [p.x, p.y, p.z], radius_mm: form.elements.tool.value === "dab" ? value("radius") : 0, edge_deg: value("edge"), away: form.elements.away.checked });
    ask();
  }
  // A tap is no drag: where the finger went down is where it comes up.
  let down = null;
  canvas.addEventListener("pointerdown", (e) => { down = [e.clientX, e.clientY]; });
  canvas.addEventListener("pointerup", (e) => {
    if (!down || Math.hypot(e.clientX - down[0], e.clientY - down[1]) > 6) return;
    const box = canvas.getBoundingClientRect();
    mark(2 * (e.clientX - box.left) / box.width - 1, 1 - 2 * (e.clientY - box.top) / box.height);
  });
  canvas.addEventListener("keydown", (e) => {
    if (e.key !== "Enter") return;
    e.preventDefault();
    e.stopPropagation();
    mark(0, 0);
  });
  // The middle, for those who mark by keys.
  const ring = new Mesh(new RingGeometry(span * 0.008, span * 0.011, 24), new MeshBasicMaterial({ color: tone("ink"), depthTest: false, side: DoubleSide, transparent: true }));
  ring.renderOrder = 3;
  ring.visible = false;
  scene.add(ring);
  const follow = () => {
    ring.position.copy(controls().target).addScaledVector(new Vector3().copy(camera.position).sub(controls().target).normalize(), span);
    ring.quaternion.copy(camera.quaternion);
    ring.scale.setScalar(1 / camera.zoom);
  };
  controls().addEventListener("change", follow);
  canvas.addEventListener("focus", () => { ring.visible = canvas.matches(":focus-visible"); follow(); draw(); });
  canvas.addEventListener("blur", () => { ring.visible = false; draw(); });

  document.getElementById("marking-undo").addEventListener("click", () => { list.pop(); ask(); });
  document.getElementById("marking-none").addEventListener("click", () => { list = []; ask(); });
  form.elements.mirror.addEventListener("change", ask);
  document.querySelectorAll("#marking-from [data-from]").forEach((b) => b.addEventListener("click", () => look(directions[b.dataset.from])));
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", colour);
  fit();
  look(directions.all);
  await ask();
  sheet.dataset.ready = "1";
}
