// What is being looked at. It is kept in the address, so that a frame can be linked.
import { page } from "./data.js";

export const MODES = page.actors.length > 1
  ? [["side", "Side by side"], ["over", "Overlay"], ["first", page.actors[0].role], ["second", page.actors[1].role]]
  : [["second", "Character"]];
const KINDS = new Set(page.actors.flatMap((actor) => actor.outlines.map((outline) => outline.kind)));

/** What can be shown or not: name, words, key. */
export const SHOWN = [
  ["mesh", "mesh", "m"], ["bones", "bones", "b"], ["names", "names", "a"], ["axes", "axes", "x"],
  ["trails", "trails", "t"], ["floor", "floor", "g"], ["follow", "follow", "f"],
  ...(page.actors.some((actor) => actor.joints.length > 0) ? [["limits", "limits", "o"]] : []),
  ...(KINDS.has("body") ? [["bodies", "bodies", "r"]] : []), ...(KINDS.has("socket") ? [["sockets", "sockets", "s"]] : []),
];

export const state = {
  clip: 0, frame: 0, playing: false, speed: 1, loop: true,
  mode: MODES[0][0], yaw: 0.6, pitch: 0.12, zoom: 2.5, pan: [0, 0, 0],
  show: { mesh: true, bones: true, names: false, axes: false, trails: false, floor: true, follow: true, limits: page.pairs === undefined, bodies: true, sockets: true },
  chosen: null,  // { actor, bone }: its chain is lit
  focus: false,  // whether the camera looks at the chosen bone
  tab: "findings", filter: "", only_over: false, plots: [0, 1], theme: "light",
  revision: 0,   // counts changes of what the clips hold
};

const listeners = [];
let wanted = 0;

export function on_change(listener) {
  listeners.push(listener);
}

/** Changes what is looked at and tells everyone. */
export function update(changes) {
  Object.assign(state, changes);
  const clip = page.clips[state.clip];
  state.frame = Math.max(0, Math.min(clip.frames - 1, Math.round(state.frame)));
  for (const listener of listeners) listener(changes);
  if (!state.playing) keep_in_address();
}

export function current_clip() {
  return page.clips[state.clip];
}

function keep_in_address() {
  clearTimeout(wanted);
  wanted = setTimeout(() => history.replaceState(null, "", `#${address()}`), 200);
}

/** What is looked at, as the part of the address after `#`. */
export function address() {
  const words = new URLSearchParams();
  words.set("clip", current_clip().name);
  words.set("frame", state.frame);
  words.set("mode", state.mode);
  words.set("camera", [state.yaw, state.pitch, state.zoom, ...state.pan].map((v) => v.toFixed(3)).join(","));
  words.set("show", SHOWN.map(([name]) => name).filter((name) => state.show[name]).join(","));
  words.set("tab", state.tab);
  if (state.chosen) words.set("bone", `${state.chosen.actor},${state.chosen.bone}${state.focus ? ",focus" : ""}`);
  return words.toString();
}

/** Takes what an address says; what it does not say, or says wrongly, stays. */
export function read_address(text) {
  const words = new URLSearchParams(text);
  const changes = {};
  const clip = page.clips.findIndex((c) => c.name === words.get("clip"));
  if (clip >= 0) changes.clip = clip;
  const frame = Number.parseInt(words.get("frame"), 10);
  if (Number.isFinite(frame)) changes.frame = frame;
  if (MODES.some(([name]) => name === words.get("mode"))) changes.mode = words.get("mode");
  const camera = (words.get("camera") || "").split(",").map(Number);
  if (camera.length === 6 && camera.every(Number.isFinite)) {
    [changes.yaw, changes.pitch, changes.zoom] = camera;
    changes.pan = camera.slice(3);
  }
  if (words.has("show")) {
    const shown = words.get("show").split(",");
    changes.show = { ...state.show };
    Object.assign(changes.show, Object.fromEntries(SHOWN.map(([name]) => [name, shown.includes(name)])));
  }
  if (words.has("tab")) changes.tab = words.get("tab");
  const [actor, bone, focus] = (words.get("bone") || "").split(",");
  if (page.actors[actor] && page.actors[actor].bones[bone]) {
    changes.chosen = { actor: Number(actor), bone: Number(bone) };
    changes.focus = focus === "focus";
  }
  return changes;
}

/** Where the eye is, seen from what it looks at: left, up and forward on the stage. */
export function eye_direction() {
  const { yaw, pitch } = state;
  return [Math.sin(yaw) * Math.cos(pitch), Math.sin(pitch), Math.cos(yaw) * Math.cos(pitch)];
}

/** Whether a chain is an arm or a leg. */
export function is_limb(chain) {
  return chain.role === "arm" || chain.role === "leg";
}

/** The chain of a bone, or undefined. */
export function chain_of(actor, bone) {
  return page.actors[actor].chains.find((chain) => chain.bones.includes(bone));
}

/** The bone of the other character that stands where this one does: by chain and share of its length. */
export function answer_of(actor, bone, other) {
  if (actor === other) return bone;
  const own = page.actors[actor];
  const its = page.actors[other];
  if (is_same_skeleton(own, its)) return bone;
  if (bone === own.hips) return its.hips;
  const chain = chain_of(actor, bone);
  const [from, to] = actor === 0 ? ["source", "target"] : ["target", "source"];
  const pair = chain && (page.pairs || []).find((p) => p[from] === chain.name && p[to]);
  const answer = pair && its.chains.find((c) => c.name === pair[to]);
  if (!answer) return its.hips;
  const share = chain.bones.length > 1 ? chain.bones.indexOf(bone) / (chain.bones.length - 1) : 1;
  return answer.bones[Math.round(share * (answer.bones.length - 1))];
}

function is_same_skeleton(a, b) {
  return !page.pairs && a.bones.length === b.bones.length && a.bones.every((bone, i) => bone.name === b.bones[i].name);
}

/** The bone that a measure speaks of: a bone's or chain's name of the last character, or undefined. */
export function bone_named(name) {
  const actor = page.actors.length - 1;
  const { bones, chains } = page.actors[actor];
  const bone = bones.findIndex((b) => b.name === name);
  if (bone >= 0) return { actor, bone };
  const chain = chains.find((c) => c.name === name);
  return chain ? { actor, bone: chain.bones[chain.bones.length - 1] } : undefined;
}
