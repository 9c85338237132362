// What the sheets share on which a model is turned: it is drawn only when something changes, so that a machine without a
// graphics processor keeps up.
import {
  AmbientLight, BackSide, BufferAttribute, BufferGeometry, Color, DirectionalLight, FrontSide, Group, Mesh, MeshBasicMaterial, MeshLambertMaterial,
  OrthographicCamera, Plane, Scene, Vector3, WebGLRenderer,
} from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";

// read unpacks what /models/{id}/view sends; app/view.go describes it.
export async function read(url) {
  const answer = await fetch(url);
  if (!answer.ok) throw new Error("it did not arrive");
  const data = await answer.arrayBuffer(), head = new DataView(data);
  if (head.getUint32(0) !== 0x534b5631) throw new Error("it is not a model");
  const n = head.getUint32(4, true), m = head.getUint32(8, true);
  return {
    at: new Float32Array(data, 12, 3 * n), wall: new Float32Array(data, 12 + 12 * n, n),
    corner: new Uint32Array(data, 12 + 16 * n, 3 * m), body: new Uint32Array(data, 12 + 16 * n + 12 * m, m), triangles: m,
    kind: new Uint8Array(data, 12 + 16 * n + 16 * m), // who sees each face; none in files of before
  };
}

// tone is a colour of the sheet, so that the night theme holds here, too.
export const tone = (name) => new Color(getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim());

// turntable shows a model on a sheet's canvas, to be turned by drag, fingers and keys. Rings that are added to its marks
// face the eye. Inside: its back faces show without a section, too.
export function turntable(sheet, model, inside_shows) {
  const canvas = sheet.querySelector("canvas");
  const renderer = new WebGLRenderer({ canvas, antialias: true, alpha: true });
  canvas.hidden = false;
  sheet.querySelector("img").hidden = true;

  // Every facet has its own corners, so that each can have its own colour.
  const flat = new Float32Array(9 * model.triangles);
  for (let k = 0; k < 3 * model.triangles; k++) flat.set(model.at.subarray(3 * model.corner[k], 3 * model.corner[k] + 3), 3 * k);
  const shape = new BufferGeometry();
  shape.setAttribute("position", new BufferAttribute(flat, 3));
  shape.setAttribute("color", new BufferAttribute(new Float32Array(flat.length), 3));
  shape.computeVertexNormals();
  shape.computeBoundingBox();
  const box = shape.boundingBox, middle = box.getCenter(new Vector3()), span = box.getSize(new Vector3()).length() || 1;

  const scene = new Scene();
  const cut = new Plane(new Vector3(0, 0, -1), 1e9);
  renderer.localClippingEnabled = true;
  const outside = new MeshLambertMaterial({ vertexColors: true, flatShading: true, side: FrontSide, clippingPlanes: [] });
  const inside = new MeshBasicMaterial({ side: BackSide, clippingPlanes: [] });
  const within = new Mesh(shape, inside);
  within.visible = inside_shows; // of a sound body it shows in sections only
  scene.add(new Mesh(shape, outside), within);
  const marks = new Group();
  scene.add(marks);
  scene.add(new AmbientLight(0xffffff, 1.5));
  const lamp = new DirectionalLight(0xffffff, 2.3);
  scene.add(lamp);

  const camera = new OrthographicCamera();
  camera.up.set(0, 0, 1);
  let controls; // they take what is up from the camera when they are made
  let asked = false;
  const draw = () => {
    sheet.dataset.idle = "0";
    if (asked) return;
    asked = true;
    requestAnimationFrame(() => {
      asked = false;
      const eye = camera.position.clone().sub(controls.target).normalize();
      const right = eye.clone().cross(camera.up).normalize();
      lamp.position.copy(eye).addScaledVector(right, -0.7).addScaledVector(camera.up, 0.8); // over the left shoulder
      for (const m of marks.children) { m.quaternion.copy(camera.quaternion); m.scale.setScalar(1 / camera.zoom); }
      renderer.render(scene, camera);
      if (!asked) sheet.dataset.idle = "1"; // what is seen is what was asked for
    });
  };
  const hold = () => {
    controls?.dispose();
    controls = new OrbitControls(camera, canvas);
    controls.enableDamping = false;
    controls.zoomToCursor = true;
    controls.addEventListener("change", draw);
  };
  hold();

  // fits is the zoom at which all of the box is seen from a direction.
  const fits = (from) => {
    const eye = new Vector3(...from).normalize(), right = camera.up.clone().cross(eye).normalize(), up = eye.clone().cross(right);
    let w = 1e-9, h = 1e-9;
    for (let k = 0; k < 8; k++) {
      const c = new Vector3(k & 1 ? box.max.x : box.min.x, k & 2 ? box.max.y : box.min.y, k & 4 ? box.max.z : box.min.z).sub(middle);
      w = Math.max(w, Math.abs(c.dot(right)));
      h = Math.max(h, Math.abs(c.dot(up)));
    }
    return 0.92 * Math.min(camera.right / w, camera.top / h);
  };
  const fit = () => {
    const w = sheet.clientWidth, h = sheet.clientHeight;
    renderer.setPixelRatio(Math.min(2, devicePixelRatio));
    renderer.setSize(w, h, false);
    camera.top = span / 2; camera.bottom = -camera.top;
    camera.right = camera.top * w / h; camera.left = -camera.right;
    camera.near = -20 * span; camera.far = 40 * span;
    camera.updateProjectionMatrix();
    draw();
  };
  new ResizeObserver(fit).observe(sheet);

  const directions = { front: [0, -1, 0.001], side: [1, 0, 0.001], top: [0, -0.001, 1], all: [-0.47, -0.83, 0.33] };
  const look = (from, target = middle, zoom = fits(from)) => {
    camera.position.copy(target).addScaledVector(new Vector3(...from).normalize(), 3 * span);
    controls.target.copy(target);
    camera.zoom = zoom;
    camera.updateProjectionMatrix();
    controls.update();
    draw();
  };

  // Keys on the canvas: arrows turn, + and − come nearer, 0 shows all.
  canvas.addEventListener("keydown", (e) => {
    const turn = { ArrowLeft: [0.15, 0], ArrowRight: [-0.15, 0], ArrowUp: [0, -0.15], ArrowDown: [0, 0.15] }[e.key];
    const eye = camera.position.clone().sub(controls.target);
    if (turn) {
      eye.applyAxisAngle(camera.up, turn[0]);
      const side = camera.up.clone().cross(eye).normalize(), tilted = eye.clone().applyAxisAngle(side, turn[1]);
      if (Math.abs(tilted.clone().normalize().z) < 0.995) eye.copy(tilted);
      look(eye.toArray(), controls.target.clone(), camera.zoom);
    } else if (e.key === "+" || e.key === "-") look(eye.toArray(), controls.target.clone(), camera.zoom * (e.key === "+" ? 1.25 : 0.8));
    else if (e.key === "0") look(directions.all);
    else return;
    e.preventDefault();
    e.stopPropagation();
  });
  return { canvas, model, flat, shape, box, middle, span, scene, cut, outside, inside, within, marks, camera, controls: () => controls, draw, hold, fit, look, directions };
}
