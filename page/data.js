// The page's document and its numbers, as the program wrote them.

const TYPES = { f32: Float32Array, i16: Int16Array, u16: Uint16Array, u32: Uint32Array, u8: Uint8Array };

function bytes_of(base64) {
  const text = atob(base64.trim());
  const bytes = new Uint8Array(text.length);
  for (let i = 0; i < text.length; ++i) bytes[i] = text.charCodeAt(i);
  return bytes.buffer;
}

export const page = JSON.parse(document.getElementById("document").textContent);
const numbers = bytes_of(document.getElementById("numbers").textContent);

/** The array that a reference of the document stands for; no copy. */
export function array(reference) {
  return new TYPES[reference.type](reference.numbers || numbers, reference.at, reference.count);
}

/** What a server sends: a document, and the numbers that its references point into. */
export function unpack(buffer) {
  const length = new DataView(buffer).getUint32(0, true);
  const text = new TextDecoder().decode(new Uint8Array(buffer, 4, length));
  return { document: JSON.parse(text), numbers: buffer.slice(4 + length) };
}

/** Binds all references in a part of a document to their numbers. */
export function adopt(part, own) {
  if (part === null || typeof part !== "object") return;
  if ("at" in part && "type" in part) Object.defineProperty(part, "numbers", { value: own });
  else for (const value of Object.values(part)) adopt(value, own);
}

/** Where a bone is in a frame of a track, in model space: a column-major 4x4 matrix, written to `matrix`. */
export function bone_matrix(track, bones, frame, bone, matrix) {
  if (track.matrices) {
    const values = array_of(track, "matrices");
    const at = 12 * (frame * bones + bone);
    const m = matrix.elements;
    for (let column = 0; column < 4; ++column) {
      for (let row = 0; row < 3; ++row) m[4 * column + row] = values[at + 3 * column + row];
      m[4 * column + 3] = column === 3 ? 1 : 0;
    }
    return;
  }
  const { low, step } = track.positions;
  const positions = array_of(track.positions, "values");
  const rotations = array_of(track, "rotations");
  const scales = array_of(track, "scales");
  const p = 3 * (frame * bones + bone);
  const r = 4 * (frame * bones + bone);
  const at = (axis) => (low ? low[axis] + step * positions[p + axis] : positions[p + axis]);
  place.set(at(0), at(1), at(2));
  turn.set(rotations[r], rotations[r + 1], rotations[r + 2], rotations[r + 3]).normalize();
  size.set(scales[3 * bone], scales[3 * bone + 1], scales[3 * bone + 2]);
  matrix.compose(place, turn, size);
}

const place = new THREE.Vector3();
const turn = new THREE.Quaternion();
const size = new THREE.Vector3();
const arrays = new Map();

/** `array(owner[key])`, found once. */
export function array_of(owner, key) {
  const reference = owner[key];
  if (!arrays.has(reference)) arrays.set(reference, array(reference));
  return arrays.get(reference);
}
