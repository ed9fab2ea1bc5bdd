// Joints against their ranges: swing-twist angles of a pose, and which joints go beyond when.
import { page, bone_matrix } from "./data.js";
import { state, current_clip, answer_of } from "./state.js";

/** The three angles that a range limits, and what they are called. */
export const ANGLES = [["bend", "bend"], ["side", "to the side"], ["twist", "twist"]];

const DEGREES = 180 / Math.PI;

/** The joint of a bone: its range and its frame, or undefined where it has none. */
export function joint_of(actor, bone) {
  return page.actors[actor].joints.find((joint) => joint.bone === bone);
}

/** The chosen bone's joint on the last character, or that of the nearest bone above which has one. */
export function chosen_joint() {
  if (!state.chosen) return undefined;
  const last = page.actors.length - 1;
  let bone = answer_of(state.chosen.actor, state.chosen.bone, last);
  while (bone >= 0 && !joint_of(last, bone)) bone = page.actors[last].bones[bone].parent;
  return bone >= 0 ? joint_of(last, bone) : undefined;
}

const known = new WeakMap();  // by clip, then by joint

/** Degrees of bend, side and twist of a joint of the last character in each frame of the current clip. */
export function angles_over_time(joint) {
  const clip = current_clip();
  if (!known.has(clip)) known.set(clip, new Map());
  const of_clip = known.get(clip);
  if (!of_clip.has(joint)) of_clip.set(joint, angles_in(clip, joint));
  return of_clip.get(joint);
}

function angles_in(clip, joint) {
  const last = page.actors.length - 1;
  const { bones } = page.actors[last];
  const track = clip.tracks[last];
  const measure = measure_of(joint);
  const all = { bend: [], side: [], twist: [] };
  const matrix = new THREE.Matrix4();
  const rotation = (frame, bone) => {
    bone_matrix(track, bones.length, frame, bone, matrix);
    const turn = new THREE.Quaternion();
    matrix.decompose(new THREE.Vector3(), turn, new THREE.Vector3());
    return turn;
  };
  for (let frame = 0; frame < clip.frames; ++frame) {
    const local = rotation(frame, bones[joint.bone].parent).conjugate().multiply(rotation(frame, joint.bone));
    const now = measure(local);
    for (const [name] of ANGLES) all[name].push(now[name]);
  }
  return all;
}

// As the library's `turn_angles`: the turn away from rest in the upright frame, split into swing and twist.
function measure_of(joint) {
  const to_upright = new THREE.Quaternion(...joint.to_upright);
  const back = new THREE.Quaternion(...joint.rest).conjugate().multiply(to_upright.clone().conjugate());
  const along = new THREE.Vector3(...joint.along);
  const about = new THREE.Vector3(...joint.about);
  const across = along.clone().cross(about);
  return (local) => {
    const all = to_upright.clone().multiply(local).multiply(back);
    const part = along.x * all.x + along.y * all.y + along.z * all.z;
    const twist = new THREE.Quaternion(along.x * part, along.y * part, along.z * part, all.w);
    if (twist.length() < 1e-6) twist.set(0, 0, 0, 1);
    twist.normalize();
    const swing = rotation_vector(all.multiply(twist.clone().conjugate()));
    return { bend: DEGREES * swing.dot(about), side: DEGREES * swing.dot(across), twist: DEGREES * rotation_vector(twist).dot(along) };
  };
}

function rotation_vector({ x, y, z, w }) {
  const sign = w < 0 ? -1 : 1;
  const axis = new THREE.Vector3(sign * x, sign * y, sign * z);
  const sine = axis.length();
  return sine < 1e-9 ? axis.multiplyScalar(2) : axis.multiplyScalar((2 * Math.atan2(sine, sign * w)) / sine);
}

/** What goes beyond its range in the current clip on the last character, the worst first. */
export function beyond() {
  const { beyond: all } = current_clip().tracks[page.actors.length - 1];
  return [...all].sort((a, b) => b.degrees - a.degrees);
}

/** The bones of the last character whose joints are beyond their range in the current frame. */
export function beyond_now() {
  return beyond().filter(({ spans }) => spans.some(([first, last]) => first <= state.frame && state.frame <= last)).map(({ bone }) => bone);
}
