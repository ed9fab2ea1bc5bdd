// Bones as tapered rods between round joints, all of one character in one mesh.

const SIDES = 6;
const ball = new THREE.IcosahedronGeometry(1, 0);
const BALL = ball.faces.flatMap((face) => [face.a, face.b, face.c]).map((i) => ball.vertices[i].clone().normalize());

// Corners of a rod along +Y: radius 1 at its foot, half of that at its tip; with normals.
function rod_corners() {
  const corners = [];
  const at = (k, top) => {
    const angle = (2 * Math.PI * k) / SIDES;
    return [Math.cos(angle), top, Math.sin(angle)];
  };
  for (let k = 0; k < SIDES; ++k) {
    for (const [side, top] of [[k, 0], [k, 1], [k + 1, 1], [k, 0], [k + 1, 1], [k + 1, 0]]) corners.push(at(side, top));
  }
  return corners;
}
const ROD = rod_corners();

export class Rods {
  /** `bones` of the page's document; `radius` in model units. What leads up from the root is no limb: it gets no rod. */
  constructor(bones, radius, root) {
    this.radius = radius;
    this.bones = bones;
    this.links = bones.map((bone, i) => [bone.parent, i]).filter(([parent]) => parent >= 0 && parent !== root);
    const count = this.links.length * ROD.length + bones.length * BALL.length;
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(new Float32Array(3 * count), 3));
    geometry.setAttribute("color", new THREE.BufferAttribute(new Uint8Array(3 * count), 3, true));
    this.geometry = geometry;
    this.mesh = new THREE.Mesh(geometry, new THREE.MeshBasicMaterial({ vertexColors: THREE.VertexColors }));
    this.mesh.frustumCulled = false;
    this.mesh.renderOrder = 10;
    // Bones show through the skin, and hide each other as they stand.
    this.mesh.onBeforeRender = (renderer) => renderer.getContext().depthRange(0, 0.05);
    this.mesh.onAfterRender = (renderer) => renderer.getContext().depthRange(0, 1);
  }

  /** `heads`: where each bone is; one color a bone. */
  place(heads, colors, light) {
    const positions = this.geometry.attributes.position.array;
    const bytes = this.geometry.attributes.color.array;
    const along = new THREE.Vector3();
    const wide = new THREE.Vector3();
    const deep = new THREE.Vector3();
    let at = 0;
    for (const [parent, child] of this.links) {
      const from = heads[parent];
      along.subVectors(heads[child], from);
      const length = along.length();
      const radius = Math.min(this.radius, 0.18 * length);
      along.multiplyScalar(1 / Math.max(length, 1e-9));
      wide.set(Math.abs(along.x) < 0.8 ? 1 : 0, Math.abs(along.x) < 0.8 ? 0 : 1, 0).cross(along).normalize();
      deep.crossVectors(along, wide);
      for (const [x, y, z] of ROD) {
        const r = radius * (1 - 0.5 * y);
        light.put(bytes, at, colors[parent], wide.x * x + deep.x * z, wide.y * x + deep.y * z, wide.z * x + deep.z * z);
        at = write(positions, at, from.x + along.x * length * y + r * (wide.x * x + deep.x * z),
              from.y + along.y * length * y + r * (wide.y * x + deep.y * z),
              from.z + along.z * length * y + r * (wide.z * x + deep.z * z));
      }
    }
    const r = 0.8 * this.radius;
    heads.forEach((head, i) => {
      for (const v of BALL) {
        light.put(bytes, at, colors[i], v.x, v.y, v.z);
        at = write(positions, at, head.x + r * v.x, head.y + r * v.y, head.z + r * v.z);
      }
    });
    this.geometry.attributes.position.needsUpdate = true;
    this.geometry.attributes.color.needsUpdate = true;
  }
}

function write(values, at, x, y, z) {
  values[at] = x;
  values[at + 1] = y;
  values[at + 2] = z;
  return at + 3;
}
