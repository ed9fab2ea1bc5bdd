// One character: its skin, bones, axes and trails, in its upright frame with the floor at height 0.
import { page, array, array_of, bone_matrix } from "./data.js";
import { state, update, chain_of, is_limb, eye_direction } from "./state.js";
import { Light } from "./light.js";
import { Rods } from "./rods.js";
import { Skin } from "./skin.js";

const UNLIT = new THREE.Color("#9aa0a6");
const OUTLINE_COLORS = { body: new THREE.Color("#c2410c"), target: new THREE.Color("#c026d3"), terrain: new THREE.Color("#7c8a92") };
/** Of X, Y and Z. */
export const AXIS_COLORS = ["#d1495b", "#2a9d5c", "#3a6ea5"].map((hex) => new THREE.Color(hex));

export class ActorView {
  constructor(index) {
    this.index = index;
    this.actor = page.actors[index];
    this.height = this.actor.height > 0 ? this.actor.height : 1;
    this.outer = new THREE.Group();   // floor, and where an overlay puts it
    this.inner = new THREE.Group();   // upright
    this.inner.quaternion.set(...this.actor.to_upright);
    this.outer.add(this.inner);
    this.matrices = this.actor.bones.map(() => new THREE.Matrix4());
    this.heads = this.actor.bones.map(() => new THREE.Vector3());
    this.size = this.find_size();
    this.rods = new Rods(this.actor.bones, 0.011 * this.height, this.actor.root);
    this.inner.add(this.rods.mesh);
    this.skins = this.skins_of(this.actor.meshes);
    this.axes = this.add_lines(2 * 3 * this.actor.bones.length);
    this.outlines = this.actor.outlines.map((outline) => this.add_outline(outline));
    this.trails = new THREE.Group();
    this.inner.add(this.trails);
    this.trail_clip = -1;
  }

  // What a camera has to see: its height, or more where it is longer than high.
  find_size() {
    const clip = page.clips[0];
    const box = new THREE.Box3();
    const matrix = new THREE.Matrix4();
    this.actor.bones.forEach((bone, i) => {
      bone_matrix(clip.tracks[this.index], this.actor.bones.length, 0, i, matrix);
      box.expandByPoint(new THREE.Vector3().setFromMatrixPosition(matrix));
    });
    const { x, y, z } = box.getSize(new THREE.Vector3());
    return Math.max(this.height, 0.75 * Math.max(x, y, z), 1e-6);
  }

  // One for all surfaces that can be drawn at once.
  skins_of(meshes) {
    const kinds = new Map();
    for (const mesh of meshes) {
      const kind = `${mesh.closed},${mesh.cut_out},${mesh.picture}`;
      kinds.set(kind, [...(kinds.get(kind) || []), mesh]);
    }
    return [...kinds.values()].map((kind) => {
      const skin = new Skin(kind, this.matrices, this.actor.pictures[kind[0].picture], () => update({}));
      this.inner.add(skin.mesh);
      return skin;
    });
  }

  add_outline(outline) {
    const geometry = new THREE.BufferGeometry();
    const points = array(outline.lines);
    geometry.setAttribute("position", new THREE.BufferAttribute(points, 3));
    const colors = new Float32Array(points.length);
    for (let i = 0; i < points.length / 3; ++i) {
      const color = outline.kind === "socket" ? AXIS_COLORS[Math.floor(i / 2) % 3] : OUTLINE_COLORS[outline.kind];
      colors.set([color.r, color.g, color.b], 3 * i);
    }
    geometry.setAttribute("color", new THREE.BufferAttribute(colors, 3));
    const in_front = outline.kind !== "terrain";
    const lines = new THREE.LineSegments(geometry, new THREE.LineBasicMaterial({ vertexColors: THREE.VertexColors, depthTest: !in_front }));
    lines.matrixAutoUpdate = false;
    lines.frustumCulled = false;
    lines.renderOrder = in_front ? 11 : 0;
    this.inner.add(lines);
    return { ...outline, object: lines };
  }

  place_outlines() {
    for (const { kind, bone, object } of this.outlines) {
      object.visible = !this.is_ghost && (kind === "body" ? state.show.bodies : kind === "socket" ? state.show.sockets : true);
      if (bone >= 0) object.matrix.copy(this.matrices[bone]);
      object.matrixWorldNeedsUpdate = true;
    }
  }

  add_lines(corners) {
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(new Float32Array(3 * corners), 3));
    geometry.setAttribute("color", new THREE.BufferAttribute(new Float32Array(3 * corners), 3));
    for (let i = 0; i < corners; ++i) {
      const color = AXIS_COLORS[Math.floor(i / 2) % 3];
      geometry.attributes.color.setXYZ(i, color.r, color.g, color.b);
    }
    const material = new THREE.LineBasicMaterial({ vertexColors: THREE.VertexColors, depthTest: false });
    const lines = new THREE.LineSegments(geometry, material);
    lines.frustumCulled = false;
    lines.renderOrder = 11;
    this.inner.add(lines);
    return lines;
  }

  /** Draws its surfaces with fewer triangles, or all of them again. */
  set_coarse(is_coarse) {
    for (const skin of this.skins) skin.set_coarse(is_coarse, this.height / 70);
  }

  /** Poses it as a frame of the current clip has it. */
  pose() {
    const clip = page.clips[state.clip];
    const track = clip.tracks[this.index];
    const count = this.actor.bones.length;
    for (let bone = 0; bone < count; ++bone) {
      bone_matrix(track, count, state.frame, bone, this.matrices[bone]);
      this.heads[bone].setFromMatrixPosition(this.matrices[bone]);
    }
    this.props = null;
    if (track.props) {
      const values = array_of(track, "props");
      const size = values.length / clip.frames;
      this.props = values.subarray(size * state.frame, size * (state.frame + 1));
    }
    this.outer.scale.setScalar(1);
    this.outer.position.set(0, -track.floor, 0);
    this.show_parts();
  }

  show_parts() {
    const light = new Light(this.into_model(0, 1, 0), this.into_model(...eye_direction()));
    for (const skin of this.skins) {
      skin.mesh.visible = state.show.mesh && !this.is_ghost;
      if (skin.mesh.visible) skin.bend(this.props, light);
    }
    this.rods.mesh.visible = state.show.bones || this.skins.length === 0 || this.is_ghost;
    if (this.rods.mesh.visible) this.rods.place(this.heads, this.colors(), light);
    this.place_outlines();
    this.axes.visible = state.show.axes && !this.is_ghost;
    if (this.axes.visible) this.place_axes();
    this.trails.visible = state.show.trails;
    if (state.show.trails) this.lay_trails();
  }

  // A direction of the stage in model space.
  into_model(x, y, z) {
    return new THREE.Vector3(x, y, z).applyQuaternion(this.inner.quaternion.clone().conjugate());
  }

  /** What is chosen is lit; a ghost is pale. */
  colors() {
    const chosen = state.chosen && state.chosen.chains[this.index];
    return this.actor.bones.map((bone, i) => {
      if (chosen && !chosen.includes(i)) return UNLIT;
      const color = new THREE.Color(page.groups[bone.group].color);
      return this.is_ghost ? color.lerp(UNLIT, 0.65) : color;
    });
  }

  place_axes() {
    const values = this.axes.geometry.attributes.position.array;
    const axis = new THREE.Vector3();
    let at = 0;
    for (const matrix of this.matrices) {
      const e = matrix.elements;
      for (let k = 0; k < 3; ++k) {
        axis.set(e[4 * k], e[4 * k + 1], e[4 * k + 2]).normalize().multiplyScalar(0.05 * this.height);
        values.set([e[12], e[13], e[14], e[12] + axis.x, e[13] + axis.y, e[14] + axis.z], at);
        at += 6;
      }
    }
    this.axes.geometry.attributes.position.needsUpdate = true;
  }

  // Ways of hands, feet and hips through the whole clip.
  lay_trails() {
    if (this.trail_clip === state.clip) return;
    this.trail_clip = state.clip;
    while (this.trails.children.length > 0) {
      this.trails.children[0].geometry.dispose();
      this.trails.remove(this.trails.children[0]);
    }
    const clip = page.clips[state.clip];
    const tips = this.actor.chains.filter(is_limb).map((c) => c.bones[c.bones.length - 1]);
    const matrix = new THREE.Matrix4();
    for (const bone of [this.actor.hips, ...tips].filter((b) => b >= 0)) {
      const points = [];
      for (let f = 0; f < clip.frames; ++f) {
        bone_matrix(clip.tracks[this.index], this.actor.bones.length, f, bone, matrix);
        points.push(new THREE.Vector3().setFromMatrixPosition(matrix));
      }
      const color = page.groups[this.actor.bones[bone].group].color;
      const line = new THREE.Line(new THREE.BufferGeometry().setFromPoints(points),
                                  new THREE.LineBasicMaterial({ color, depthTest: false }));
      line.frustumCulled = false;
      line.renderOrder = 12;
      this.trails.add(line);
    }
  }

  /** Where a bone is on the stage. */
  on_stage(bone) {
    this.outer.updateMatrixWorld(true);
    return this.heads[bone].clone().applyMatrix4(this.inner.matrixWorld);
  }
}

/** The chosen bone with the bones of its chain in each character. */
export function choice(actor, bone, answer_of) {
  const chains = page.actors.map((a, i) => {
    const own = answer_of(actor, bone, i);
    const chain = chain_of(i, own);
    return chain ? chain.bones : [own];
  });
  return { actor, bone, chains };
}
