// The views: one scene, one or two cameras that turn as one.
import { page } from "./data.js";
import { state, update, answer_of, eye_direction } from "./state.js";
import { ActorView } from "./actor.js";
import { Rings } from "./rings.js";
import { live } from "./live.js";
import { beyond_now } from "./joints.js";

const FIELD = 30;  // degrees from top to bottom
const CELLS = 9;   // squares of the floor to each side

export class Stage {
  constructor(element) {
    this.element = element;
    this.canvas = element.querySelector("#view");
    this.labels = element.querySelector("#labels").getContext("2d");
    this.renderer = new THREE.WebGLRenderer({ canvas: this.canvas, antialias: false });
    this.renderer.autoClear = false;
    this.scene = new THREE.Scene();
    this.actors = page.actors.map((_, i) => new ActorView(i));
    for (const view of this.actors) this.scene.add(view.outer);
    this.floor = this.make_floor();
    this.rings = new Rings();
    this.scene.add(this.rings.group);
    this.camera = new THREE.PerspectiveCamera(FIELD, 1, 0.01, 1000);
    this.is_coarse = false;  // fewer pixels and triangles, while a clip plays on a machine that is too slow for all of them
  }

  make_floor() {
    const points = [];
    const paleness = [];
    const put = (...corners) => {
      for (const [x, z] of corners) {
        points.push(new THREE.Vector3(x, 0, z));
        paleness.push(Math.min(1, Math.hypot(x, z) / CELLS));
      }
    };
    for (let i = -CELLS; i <= CELLS; ++i) {
      for (let k = -CELLS; k < CELLS; ++k) put([i, k], [i, k + 1], [k, i], [k + 1, i]);
    }
    const geometry = new THREE.BufferGeometry().setFromPoints(points);
    geometry.setAttribute("color", new THREE.BufferAttribute(new Float32Array(3 * points.length), 3));
    const floor = new THREE.LineSegments(geometry, new THREE.LineBasicMaterial({ vertexColors: THREE.VertexColors, depthWrite: false }));
    floor.userData.paleness = paleness;
    floor.frustumCulled = false;
    floor.renderOrder = -1;
    this.scene.add(floor);
    return floor;
  }

  // Lines that fade into the background with distance.
  paint_floor(line, paper) {
    const colors = this.floor.geometry.attributes.color;
    this.floor.userData.paleness.forEach((share, i) => {
      const color = line.clone().lerp(paper, share);
      colors.setXYZ(i, color.r, color.g, color.b);
    });
    colors.needsUpdate = true;
  }

  // The floor under what a pane follows, in squares of a third of its height, which stay where they are.
  lay_floor(pane) {
    const view = this.actors[pane.follows];
    const square = view.height / 3;
    const hips = view.on_stage(Math.max(view.actor.hips, 0));
    this.floor.scale.setScalar(square);
    this.floor.position.set(square * Math.round(hips.x / square), 0, square * Math.round(hips.z / square));
    this.floor.visible = state.show.floor;
  }

  /** The parts of the stage, left to right: which actors each shows, and the one that its camera follows. */
  panes() {
    const last = this.actors.length - 1;
    if (state.mode === "side") return this.actors.map((_, i) => ({ shows: [i], follows: i }));
    if (state.mode === "over") return [{ shows: [0, last], follows: last }];
    return [state.mode === "first" ? { shows: [0], follows: 0 } : { shows: [last], follows: last }];
  }

  resize() {
    const { clientWidth: width, clientHeight: height } = this.element;
    const ratio = window.devicePixelRatio || 1;
    const size = [width, height, ratio, this.is_coarse].join();
    if (size === this.size) return;
    this.size = size;
    this.renderer.setPixelRatio(this.is_coarse ? 0.75 * ratio : ratio);
    this.renderer.setSize(width, height, false);
    for (const view of this.actors) view.set_coarse(this.is_coarse);
    this.labels.canvas.width = width * ratio;
    this.labels.canvas.height = height * ratio;
    this.labels.setTransform(ratio, 0, 0, ratio, 0, 0);
    this.width = width;
    this.height = height;
  }

  pose() {
    const over = state.mode === "over" && this.actors.length > 1;
    this.actors.forEach((view, i) => {
      view.is_ghost = over && i === 0;
      view.pose();
    });
    if (over) this.lay_ghost();
  }

  // The source at the target's scale, hips on hips.
  lay_ghost() {
    const [ghost, own] = [this.actors[0], this.actors[this.actors.length - 1]];
    ghost.outer.scale.setScalar(page.leg_ratio || own.height / ghost.height);
    ghost.outer.position.set(0, 0, 0);
    ghost.outer.position.copy(own.on_stage(Math.max(own.actor.hips, 0)).sub(ghost.on_stage(Math.max(ghost.actor.hips, 0))));
  }

  /** Where the camera of a pane looks. */
  aim(pane) {
    const view = this.actors[pane.follows];
    if (state.focus && state.chosen)
      return view.on_stage(answer_of(state.chosen.actor, state.chosen.bone, pane.follows));
    const hips = view.on_stage(Math.max(view.actor.hips, 0));
    if (!state.show.follow) hips.set(0, 0, 0);
    hips.y = 0.5 * view.height;
    return hips;
  }

  // About the result's chosen bone, while settings are tried.
  lay_rings(pane) {
    const last = this.actors.length - 1;
    this.rings.group.visible = live.on && state.tab === "adjust" && Boolean(state.chosen) && pane.follows === last;
    if (!this.rings.group.visible) return;
    const view = this.actors[last];
    this.rings.place(view.on_stage(answer_of(state.chosen.actor, state.chosen.bone, last)), 0.13 * view.height);
  }

  /** The ring under a pixel of the element: its axis and how a drag about it turns; or undefined. */
  ring_at(x, y) {
    const last = this.actors.length - 1;
    const pane = this.shown.find((p) => p.follows === last && x >= p.left && x <= p.left + p.width);
    if (!pane) return undefined;
    this.lay_rings(pane);
    if (!this.rings.group.visible) return undefined;
    this.place_camera(pane, pane.width, this.height);
    const axis = this.rings.axis_at(x, y, (point) => this.to_screen(pane, point));
    if (axis < 0) return undefined;
    const middle = this.to_screen(pane, this.rings.group.position);
    const toward = this.camera.position.clone().sub(this.rings.group.position).getComponent(axis);
    return { axis, middle, sign: toward >= 0 ? -1 : 1 };  // pixels run down: a turn toward the eye runs against them
  }

  place_camera(pane, width, height) {
    const view = this.actors[pane.follows];
    const aim = this.aim(pane);
    const away = new THREE.Vector3(...eye_direction());
    const narrow = Math.max(1, (0.9 * height) / width);
    this.camera.aspect = width / height;
    this.camera.up.set(0, 1, 0);
    if (Math.abs(state.pitch) > 1.5) this.camera.up.set(-Math.sin(state.yaw), 0, -Math.cos(state.yaw)).multiplyScalar(Math.sign(state.pitch));
    this.camera.position.copy(aim).addScaledVector(away, state.zoom * narrow * view.size);
    this.camera.lookAt(aim);
    this.camera.updateMatrixWorld();
    const across = new THREE.Vector3().setFromMatrixColumn(this.camera.matrixWorld, 0);
    const upward = new THREE.Vector3().setFromMatrixColumn(this.camera.matrixWorld, 1);
    this.camera.position.addScaledVector(across, state.pan[0] * view.size).addScaledVector(upward, state.pan[1] * view.size);
    this.camera.near = 0.02 * view.height;
    this.camera.far = 100 * view.height;
    this.camera.updateProjectionMatrix();
    this.camera.updateMatrixWorld();
  }

  draw() {
    const style = getComputedStyle(document.documentElement);
    if (this.theme !== state.theme) {
      this.theme = state.theme;
      const [paper, line] = ["--stage", "--grid"].map((name) => new THREE.Color(style.getPropertyValue(name).trim()));
      this.renderer.setClearColor(paper, 1);
      this.paint_floor(line, paper);
    }
    this.renderer.setScissorTest(false);
    this.renderer.clear();
    this.renderer.setScissorTest(true);
    this.beyond = state.show.limits ? beyond_now() : [];
    const is_lettered = state.show.names || Boolean(state.chosen) || this.beyond.length > 0;
    this.labels.canvas.hidden = !is_lettered;
    if (is_lettered) this.labels.clearRect(0, 0, this.width, this.height);
    const panes = this.panes();
    this.name_panes(panes);
    panes.forEach((pane, i) => {
      pane.left = Math.round((i * this.width) / panes.length);
      pane.width = Math.round(((i + 1) * this.width) / panes.length) - pane.left;
      this.draw_pane(pane, style);
    });
    this.shown = panes;
  }

  draw_pane(pane, style) {
    this.actors.forEach((view, i) => { view.outer.visible = pane.shows.includes(i); });
    this.lay_floor(pane);
    this.lay_rings(pane);
    this.place_camera(pane, pane.width, this.height);
    this.renderer.setViewport(pane.left, 0, pane.width, this.height);
    this.renderer.setScissor(pane.left, 0, pane.width, this.height);
    this.renderer.render(this.scene, this.camera);
    if (!this.labels.canvas.hidden) this.write_labels(pane, style);
  }

  name_panes(panes) {
    if (this.named === state.mode) return;
    this.named = state.mode;
    this.element.querySelector("#pane-names").replaceChildren(...panes.map((pane, i) => {
      const name = document.createElement("b");
      name.style.left = `${(100 * i) / panes.length}%`;
      name.textContent = pane.shows.map((k) => words_of(k, this.actors[k].is_ghost)).join(" over ");
      return name;
    }));
  }

  /** A point of the stage in pixels of the element, for the camera as it stands. */
  to_screen(pane, point) {
    const p = point.clone().project(this.camera);
    return { x: pane.left + (0.5 + 0.5 * p.x) * pane.width, y: (0.5 - 0.5 * p.y) * this.height, depth: p.z };
  }

  write_labels(pane, style) {
    const pen = this.labels;
    const text = style.getPropertyValue("--text").trim();
    const paper = style.getPropertyValue("--stage").trim();
    pen.textBaseline = "top";
    pen.lineWidth = 3;
    pen.strokeStyle = paper;
    const view = this.actors[pane.follows];
    pen.font = '12px "DejaVu Sans", system-ui, sans-serif';
    if (pane.follows === this.actors.length - 1) {
      const bad = style.getPropertyValue("--bad").trim();
      for (const bone of this.beyond) this.mark_joint(this.to_screen(pane, view.on_stage(bone)), paper, bad);
    }
    if (state.show.names) this.write_names(pane, view, text);
    if (state.chosen) {
      const bone = answer_of(state.chosen.actor, state.chosen.bone, pane.follows);
      const at = this.to_screen(pane, view.on_stage(bone));
      for (const [color, width] of [[paper, 6], [style.getPropertyValue("--accent").trim(), 2.5]]) {
        pen.strokeStyle = color;
        pen.lineWidth = width;
        pen.beginPath();
        pen.arc(at.x, at.y, 10, 0, 2 * Math.PI);
        pen.stroke();
      }
      pen.lineWidth = 3;
      pen.strokeStyle = paper;
      if (!state.show.names) this.write_at(pane, view, bone, view.actor.bones[bone].name, text);
    }
  }

  // A diamond about a joint that is beyond its range.
  mark_joint({ x, y }, paper, color) {
    const pen = this.labels;
    for (const [stroke, width] of [[paper, 5], [color, 2.5]]) {
      pen.strokeStyle = stroke;
      pen.lineWidth = width;
      pen.beginPath();
      for (const [dx, dy] of [[0, -9], [9, 0], [0, 9], [-9, 0]]) pen.lineTo(x + dx, y + dy);
      pen.closePath();
      pen.stroke();
    }
    pen.lineWidth = 3;
    pen.strokeStyle = paper;
  }

  // The nearest first; a name that would cover another is left out.
  write_names(pane, view, color) {
    const names = view.actor.bones.map((bone, i) => ({ i, words: bone.name, at: this.to_screen(pane, view.on_stage(i)) }));
    const taken = [];
    for (const { i, words, at } of names.sort((a, b) => a.at.depth - b.at.depth)) {
      const box = { left: at.x + 6, right: at.x + 10 + this.labels.measureText(words).width, top: at.y - 7, bottom: at.y + 7 };
      if (taken.some((b) => b.left < box.right && box.left < b.right && b.top < box.bottom && box.top < b.bottom)) continue;
      taken.push(box);
      this.write_at(pane, view, i, words, color);
    }
  }

  write_at(pane, view, bone, words, color) {
    const at = this.to_screen(pane, view.on_stage(bone));
    if (at.x < pane.left || at.x > pane.left + pane.width) return;
    this.labels.fillStyle = color;
    this.labels.strokeText(words, at.x + 8, at.y - 6);
    this.labels.fillText(words, at.x + 8, at.y - 6);
  }

  /** The bone nearest to a pixel of the element, within reach; or undefined. */
  bone_at(x, y) {
    let best;
    for (const pane of this.shown) {
      if (x < pane.left || x > pane.left + pane.width) continue;
      this.place_camera(pane, pane.width, this.height);
      const view = this.actors[pane.follows];
      view.actor.bones.forEach((bone, i) => {
        const a = this.to_screen(pane, view.on_stage(i));
        let distance = Math.hypot(a.x - x, a.y - y) - 3;  // a joint before the rods that end in it
        if (!best || distance < best.distance) best = { actor: pane.follows, bone: i, distance };
        if (bone.parent < 0) return;
        const b = this.to_screen(pane, view.on_stage(bone.parent));
        distance = distance_to_line(x, y, b, a);
        if (distance < best.distance) best = { actor: pane.follows, bone: bone.parent, distance };
      });
    }
    return best && best.distance < 12 ? best : undefined;
  }

  pixel_of(event) {
    const box = this.element.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  }

  turn(yaw, pitch) {
    update({ yaw: state.yaw + yaw, pitch: Math.max(-1.57, Math.min(1.57, state.pitch + pitch)) });
  }

  move(dx, dy) {
    const metre = (2 * Math.tan((FIELD * Math.PI) / 360) * state.zoom) / this.height;
    update({ pan: [state.pan[0] - dx * metre, state.pan[1] + dy * metre, 0] });
  }

  zoom(by) {
    update({ zoom: Math.max(0.15, Math.min(30, state.zoom * by)) });
  }
}

function words_of(actor, is_ghost) {
  const { name, role } = page.actors[actor];
  return role ? `${name} (${role}${is_ghost ? ", pale" : ""})` : name;
}

function distance_to_line(x, y, a, b) {
  const dx = b.x - a.x;
  const dy = b.y - a.y;
  const share = Math.max(0, Math.min(1, ((x - a.x) * dx + (y - a.y) * dy) / Math.max(dx * dx + dy * dy, 1e-9)));
  return Math.hypot(a.x + share * dx - x, a.y + share * dy - y);
}
