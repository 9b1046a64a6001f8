// The tank in three dimensions: turned by mouse, touch and keys, with what is to be seen chosen beside it.
import * as bodies from "./bodies.js";
import { talk } from "../talk.js";

const VIEWS = { corner: [0.85, 0.75, 1.25], plan: [0, 1.9, 0.001], front: [0, 0.1, 1.7], side: [1.9, 0.1, 0] };
const TURN = Math.PI / 18;

const SETTLED = 250;

// Whether there is no graphics card, so that a smooth edge takes as long as the rest of the picture.
function drawnByTheProcessor() {
  const gl = document.createElement("canvas").getContext("webgl2");
  const told = gl.getExtension("WEBGL_debug_renderer_info");
  return /swiftshader|llvmpipe|software/i.test(told ? gl.getParameter(told.UNMASKED_RENDERER_WEBGL) : "");
}

const colour = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

function palette() {
  return {
    ink: colour("--ink"), sheet: colour("--sheet"), accent: colour("--accent"), poor: colour("--poor"),
    water: colour("--band-dim"), body: colour("--soft"), beam: colour("--band-sps"), paper: colour("--paper"),
    inside: colour("--good"), weak: colour("--soft"), strong: colour("--poor"), fed: colour("--fair"),
    bands: Object.fromEntries(["dim", "lps", "between", "sps", "strong"].map((key) => [key, colour(`--band-${key}`)])),
  };
}

export const model3d = () => ({
  state: "loading",
  said: "",
  shown: { corals: true, reach: false, beams: false, readings: false, pumps: false },
  month: 0,
  last: 7,
  monthSaid: "now",
  level: "",
  levelSaid: "",
  axis: "",
  share: 50,
  spot: "",
  drawing: 0,
  settling: 0,
  // what three.js owns stays out of Alpine's sight: it would wrap every vertex
  init() {
    const canvas = this.$refs.canvas;
    [this.url, this.along] = [this.$el.dataset.url, this.$el.dataset.along || ""];
    if (!document.createElement("canvas").getContext("webgl2")) {
      this.state = "none";
      return;
    }
    const tab = new BroadcastChannel("corlume-light");
    tab.addEventListener("message", () => this.load());
    // what was undone or changed elsewhere is seen on coming back
    document.addEventListener("visibilitychange", () => document.hidden || this.load());
    if (!this.$el.dataset.lazy) this.start(canvas);
  },

  // In a page where it is one drawing among others it begins when it is opened.
  open() {
    if (this.$root.open && this.state === "loading" && !this.own) this.start(this.$refs.canvas);
  },

  async start(canvas) {
    const three = await import("../vendor/three.min.js");
    const slow = drawnByTheProcessor();
    const renderer = new three.WebGLRenderer({ canvas, antialias: !slow, preserveDrawingBuffer: true });
    renderer.localClippingEnabled = true;
    const camera = new three.PerspectiveCamera(42, 1, 0.02, 30);
    const controls = new three.OrbitControls(camera, canvas);
    controls.addEventListener("change", () => this.draw());
    const scene = new three.Scene();
    scene.background = new three.Color(colour("--paper"));
    scene.add(new three.AmbientLight(0xffffff, 2.1));
    const sun = new three.DirectionalLight(0xffffff, 1.1);
    sun.position.set(0.4, 1.2, 0.8);
    scene.add(sun);
    const own = { three, renderer, camera, controls, scene, slow, parts: {}, colours: palette() };
    this.own = () => own;
    new ResizeObserver(() => this.fit()).observe(canvas.parentElement);
    await this.load();
    if (!own.model) return;
    this.fit();
    this.look("corner");
  },

  async load() {
    if (!this.own) return;
    const response = await fetch(`${this.url}/model${this.along}`);
    if (!response.ok) {
      [this.state, this.said] = ["failed", "The picture could not be loaded. Reload to try again."];
      return;
    }
    const own = this.own();
    own.model = bodies.unpack(await response.arrayBuffer());
    this.last = own.model.months.length - 1;
    const { three, model, colours } = own;
    const map = new three.CanvasTexture(bodies.bandStrip(model.bands, model.most, colours.bands, colours.ink));
    [map.magFilter, map.minFilter, map.generateMipmaps] = [three.NearestFilter, three.NearestFilter, false];
    map.colorSpace = three.SRGBColorSpace;
    this.put("panes", [bodies.panes(three, model, colours)]);
    const rock = bodies.surface(three, model, map);
    this.put("rock", [rock]);
    this.put("edges", [bodies.edges(three, rock, colours)]);
    this.put("fixtures", model.fixtures.map((one) => bodies.fixture(three, model, one, colours)));
    this.state = "ready";
    this.rebuild();
    if (this.level.trim()) this.findLevel();
  },

  // Put bodies in place of those of a part.
  put(part, shown) {
    const { three, scene, parts } = this.own();
    if (parts[part]) {
      scene.remove(parts[part]);
      parts[part].traverse((one) => {
        one.geometry?.dispose();
        one.material?.map?.dispose();
        one.material?.dispose?.();
      });
    }
    parts[part] = new three.Group();
    parts[part].name = part;
    for (const body of shown) parts[part].add(body);
    scene.add(parts[part]);
  },

  rebuild() {
    if (this.state !== "ready") return;
    const { three, model, colours } = this.own();
    const list = (wanted, things, make) => (wanted ? things.map((one) => make(three, model, one, colours)) : []);
    const { corals, reach } = this.shown;
    const step = Number(this.month);
    this.monthSaid = step ? `in ${model.months[step]} months` : "now";
    const grown = (one) => bodies.coral(three, model, one, colours, step, reach);
    this.put("corals", corals ? model.corals.map(grown) : []);
    this.put("beams", list(this.shown.beams, model.fixtures.filter((one) => one.output > 0), bodies.beam));
    this.put("readings", list(this.shown.readings, model.readings, bodies.reading));
    this.put("pumps", list(this.shown.pumps, model.pumps, bodies.pump));
    this.put("slice", this.axis ? [bodies.slice(three, model, this.axis, this.share / 100, colours)] : []);
    this.draw();
  },

  async findLevel() {
    if (this.state !== "ready") return;
    const wanted = this.level.trim();
    this.levelSaid = "";
    if (!wanted) {
      this.put("level", []);
      this.draw();
      return;
    }
    const response = await fetch(`${this.url}/equal-par${this.along}${this.along ? "&" : "?"}level=${encodeURIComponent(wanted)}`);
    if (!response.ok) {
      this.levelSaid = (await response.json()).message;
      return;
    }
    const { three, model, colours } = this.own();
    const found = bodies.unpack(await response.arrayBuffer());
    this.levelSaid = found.arrays.triangles.length ? `${wanted} PAR` : `No place in the water has ${wanted} PAR.`;
    this.put("level", found.arrays.triangles.length ? [bodies.equalPar(three, model, found.arrays, colours)] : []);
    this.draw();
  },

  fit() {
    const { renderer, camera } = this.own();
    const { clientWidth: wide, clientHeight: tall } = this.$refs.canvas.parentElement;
    renderer.setSize(wide, tall, false);
    camera.aspect = wide / Math.max(1, tall);
    camera.updateProjectionMatrix();
    this.draw();
  },

  look(view) {
    if (this.state !== "ready") return;
    const { camera, controls, model } = this.own();
    const { length, width, depth } = model.tank;
    const away = 0.86 * Math.max(length, 1.4 * width, 1.4 * depth) * Math.max(1, 1.5 / camera.aspect);
    controls.target.set(0, 0.6 * depth, 0);
    camera.position.set(...VIEWS[view].map((part) => part * away));
    camera.position.y += depth / 2;
    controls.update();
    this.draw();
  },

  turn(event) {
    if (this.state !== "ready") return;
    const { camera, controls, three } = this.own();
    const step = { ArrowLeft: [-TURN, 0], ArrowRight: [TURN, 0], ArrowUp: [0, -TURN], ArrowDown: [0, TURN] }[event.key];
    const nearer = { "+": 0.88, "=": 0.88, "-": 1 / 0.88 }[event.key];
    if (!step && !nearer && event.key !== "Home") return;
    event.preventDefault();
    event.stopPropagation(); // the probe of the page stays where it is
    if (event.key === "Home") {
      this.look("corner");
      return;
    }
    const from = new three.Vector3().subVectors(camera.position, controls.target);
    if (nearer) from.multiplyScalar(nearer);
    else {
      const [radius, flat] = [from.length(), Math.hypot(from.x, from.z)];
      const around = Math.atan2(from.x, from.z) + step[0];
      const down = Math.min(Math.PI - 0.05, Math.max(0.02, Math.atan2(flat, from.y) + step[1]));
      from.set(Math.sin(down) * Math.sin(around), Math.cos(down), Math.sin(down) * Math.cos(around)).multiplyScalar(radius);
    }
    camera.position.addVectors(controls.target, from);
    controls.update();
    this.draw();
  },

  // Once a frame, however much has changed in it; without a graphics card coarse while it moves, and fine at rest.
  draw() {
    if (!this.own || this.drawing) return;
    clearTimeout(this.settling);
    if (this.own().slow) this.settling = setTimeout(() => this.sharpen(2), SETTLED);
    this.drawing = requestAnimationFrame(() => this.sharpen(this.own().slow ? 1 : Math.min(2, window.devicePixelRatio)));
  },

  sharpen(ratio) {
    const { renderer } = this.own();
    if (renderer.getPixelRatio() !== ratio) renderer.setPixelRatio(ratio);
    this.render();
  },

  render() {
    cancelAnimationFrame(this.drawing);
    this.drawing = 0;
    const { model, renderer, scene, camera } = this.own();
    if (model) renderer.render(scene, camera);
  },

  // A place on rock or sand that was clicked, without a drag: what is read there.
  press(event) {
    this.pressed = [event.clientX, event.clientY];
  },

  async release(event) {
    if (this.state !== "ready" || !this.pressed || Math.hypot(event.clientX - this.pressed[0], event.clientY - this.pressed[1]) > 5) return;
    const { three, camera, parts, model } = this.own();
    const { left, top, width, height } = this.$refs.canvas.getBoundingClientRect();
    const ray = new three.Raycaster();
    const at = new three.Vector2((2 * (event.clientX - left)) / width - 1, 1 - (2 * (event.clientY - top)) / height);
    ray.setFromCamera(at, camera);
    const [hit] = ray.intersectObjects(parts.rock.children);
    if (!hit) return;
    const { x, y, z } = hit.point;
    const [front, down] = [model.tank.width / 2 - z, model.tank.depth - y];
    await this.ask(x + model.tank.length / 2, front, down, hit.face.normal);
  },

  async ask(x, y, depth, normal) {
    const { three, model, colours } = this.own();
    const asked = new URLSearchParams({ x, y, depth, right: normal.x, back: -normal.z, up: normal.y });
    const { ok, answer } = await talk(`${this.url}/spot${this.along}${this.along ? "&" : "?"}${asked}`);
    this.$refs.spot.innerHTML = ok ? answer.html : "";
    this.spot = ok ? "" : answer.message;
    const dot = new three.Mesh(new three.SphereGeometry(0.012, 16, 10), new three.MeshBasicMaterial({ color: colours.accent }));
    dot.position.set(...bodies.placed(model, x, y, depth));
    this.put("spot", [dot]);
    this.draw();
  },

  async place(event) {
    const { coral, x, y, depth } = event.target.dataset;
    if (!coral) return;
    const sent = { coral: Number(coral), x: Number(x), y: Number(y), depth: Number(depth) };
    const { ok, answer } = await talk(`${this.url}/place`, sent);
    this.spot = ok ? "Placed. Undo takes it back." : answer.message;
    if (!ok) return;
    this.$refs.spot.replaceChildren();
    await this.load();
  },

  save(blob, name) {
    const link = document.createElement("a");
    link.href = URL.createObjectURL(blob);
    link.download = name;
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 1000);
  },

  savePicture() {
    if (this.state !== "ready") return;
    this.render();
    this.$refs.canvas.toBlob((blob) => this.save(blob, "tank.png"));
  },

  async saveModel() {
    if (this.state !== "ready") return;
    const { three, scene } = this.own();
    const data = await new three.GLTFExporter().parseAsync(scene, { binary: true, onlyVisible: true });
    this.save(new Blob([data], { type: "model/gltf-binary" }), "tank.glb");
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("model3d", model3d);
});
