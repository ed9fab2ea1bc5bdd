// Linear blend skinning (glTF 2.0, section 3.7.3) and light on the processor: browsers without a graphics card draw
// a surface that stands still and is colored already several times as fast as one that the card's program bends.
import { array } from "./data.js";

/** The surfaces of one character that can be drawn at once. */
export class Skin {
  /**
   * `meshes` of the page's document, alike in `closed`, `cut_out` and `picture`; `matrices` of all bones, which `bend` reads;
   * `picture` of the document, or nothing. `ready` is called when the picture is there.
   */
  constructor(meshes, matrices, picture, ready) {
    let start = 0;
    this.parts = meshes.map((mesh) => {
      const part = new Part(mesh, matrices, start);
      start += part.positions.length / 3;
      return part;
    });
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(new Float32Array(3 * start), 3));
    geometry.setAttribute("color", new THREE.BufferAttribute(new Uint8Array(3 * start), 3, true));
    const corners = this.parts.reduce((sum, part) => sum + part.triangles.length, 0);
    const index = start < 65536 ? new Uint16Array(corners) : new Uint32Array(corners);
    let at = 0;
    for (const part of this.parts) for (const corner of part.triangles) index[at++] = corner + part.start;
    this.all = new THREE.BufferAttribute(index, 1);
    geometry.setIndex(this.all);
    this.has_two_sides = !meshes[0].closed;
    const side = this.has_two_sides ? THREE.DoubleSide : THREE.FrontSide;
    const material = new THREE.MeshBasicMaterial({ vertexColors: THREE.VertexColors, side });
    if (picture) {
      if (meshes[0].cut_out) material.alphaTest = 0.5;
      const points = new Float32Array(2 * start);
      for (const part of this.parts) points.set(part.picture_points, 2 * part.start);
      geometry.setAttribute("uv", new THREE.BufferAttribute(points, 2));
      load_picture(picture, material, ready);
    }
    this.mesh = new THREE.Mesh(geometry, material);
    this.mesh.frustumCulled = false;
  }

  /**
   * Draws fewer triangles, or all of them again: vertices of one part in a cube of this size in model space become one (J. Rossignac
   * and P. Borrel, "Multi-resolution 3D approximations for rendering complex scenes", 1993).
   */
  set_coarse(is_coarse, cell) {
    if (is_coarse && !this.coarse) this.coarse = new THREE.BufferAttribute(this.coarse_corners(cell), 1);
    const index = is_coarse ? this.coarse : this.all;
    if (this.mesh.geometry.index !== index) this.mesh.geometry.setIndex(index);
  }

  coarse_corners(cell) {
    const corners = [];
    for (const part of this.parts) {
      const cells = new Map();
      const own = cell / Math.max(Math.hypot(part.palette[0], part.palette[1], part.palette[2]), 1e-9);  // in its own units
      const stands_for = (v) => {
        const key = [0, 1, 2].map((axis) => Math.floor(part.positions[3 * v + axis] / own)).join();
        if (!cells.has(key)) cells.set(key, v);
        return cells.get(key) + part.start;
      };
      for (let i = 0; i < part.triangles.length; i += 3) {
        const [a, b, c] = [0, 1, 2].map((k) => stands_for(part.triangles[i + k]));
        if (a !== b && b !== c && c !== a) corners.push(a, b, c);
      }
    }
    return Uint32Array.from(corners);
  }

  /**
   * Puts the surfaces where the bones stand; `props` says, as 12 numbers each, where the clip has them. `light`
   * in model space.
   */
  bend(props, light) {
    const { position, color } = this.mesh.geometry.attributes;
    for (const part of this.parts) part.bend(position.array, color.array, props, light, this.has_two_sides);
    position.needsUpdate = true;
    color.needsUpdate = true;
  }
}

// A picture that the browser cannot read leaves the plain color.
function load_picture(picture, material, ready) {
  const address = URL.createObjectURL(new Blob([array(picture.bytes)], { type: picture.mime_type }));
  const image = new Image();
  image.onload = () => {
    const texture = new THREE.Texture(image);
    texture.flipY = false;
    texture.wrapS = texture.wrapT = is_power_of_two(image) ? THREE.RepeatWrapping : THREE.ClampToEdgeWrapping;
    if (!is_power_of_two(image)) texture.minFilter = THREE.LinearFilter;
    texture.needsUpdate = true;
    material.map = texture;
    material.needsUpdate = true;
    URL.revokeObjectURL(address);
    ready();
  };
  image.src = address;
}

const is_power_of_two = ({ width, height }) => (width & (width - 1)) === 0 && (height & (height - 1)) === 0;

class Part {
  constructor(mesh, matrices, start) {
    this.start = start;
    this.prop = mesh.prop;
    this.matrices = mesh.bones.map((bone) => matrices[bone]);
    this.inverse = mesh.bones.map((_, i) => new THREE.Matrix4().fromArray(array(mesh.inverse_bind), 16 * i));
    this.mounted = this.inverse[0].clone();
    this.palette = new Float32Array(12 * mesh.bones.length);
    this.positions = array(mesh.positions);
    this.triangles = array(mesh.triangles);
    this.joints = array(mesh.joints);
    this.picture_points = array(mesh.picture_points);
    this.weights = Float32Array.from(array(mesh.weights), (weight) => weight / 255);
    this.color = new THREE.Color(...mesh.color).convertLinearToSRGB();
    this.normals = Float32Array.from(array(mesh.normals), (n) => n / 32767);
    if (this.normals.length === 0) this.normals = this.own_normals();
  }

  own_normals() {
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(this.positions, 3));
    geometry.setIndex(new THREE.BufferAttribute(this.triangles, 1));
    geometry.computeVertexNormals();
    return geometry.attributes.normal.array;
  }

  bend(positions, colors, props, light, has_two_sides) {
    if (props && this.prop >= 0) {
      const p = props.subarray(12 * this.prop);
      this.inverse[0].set(p[0], p[3], p[6], p[9], p[1], p[4], p[7], p[10], p[2], p[5], p[8], p[11], 0, 0, 0, 1);
    } else if (this.prop >= 0) {
      this.inverse[0].copy(this.mounted);
    }
    this.matrices.forEach((matrix, i) => {
      const m = product.multiplyMatrices(matrix, this.inverse[i]).elements;
      this.palette.set([m[0], m[1], m[2], m[4], m[5], m[6], m[8], m[9], m[10], m[12], m[13], m[14]], 12 * i);
    });
    bend_all(this, positions.subarray(3 * this.start), colors.subarray(3 * this.start), light, has_two_sides);
  }
}

const product = new THREE.Matrix4();

function bend_all({ positions, normals, joints, weights, palette, color }, to, to_colors, light, has_two_sides) {
  for (let v = 0, c = 0; c < positions.length; ++v, c += 3) {
    const x = positions[c], y = positions[c + 1], z = positions[c + 2];
    const nx = normals[c], ny = normals[c + 1], nz = normals[c + 2];
    let px = 0, py = 0, pz = 0, qx = 0, qy = 0, qz = 0;
    for (let k = 4 * v; k < 4 * v + 4; ++k) {
      const w = weights[k];
      if (w === 0) continue;
      const m = 12 * joints[k];
      px += w * (palette[m] * x + palette[m + 3] * y + palette[m + 6] * z + palette[m + 9]);
      py += w * (palette[m + 1] * x + palette[m + 4] * y + palette[m + 7] * z + palette[m + 10]);
      pz += w * (palette[m + 2] * x + palette[m + 5] * y + palette[m + 8] * z + palette[m + 11]);
      qx += w * (palette[m] * nx + palette[m + 3] * ny + palette[m + 6] * nz);
      qy += w * (palette[m + 1] * nx + palette[m + 4] * ny + palette[m + 7] * nz);
      qz += w * (palette[m + 2] * nx + palette[m + 5] * ny + palette[m + 8] * nz);
    }
    const long = 1 / Math.max(Math.sqrt(qx * qx + qy * qy + qz * qz), 1e-12);
    to[c] = px; to[c + 1] = py; to[c + 2] = pz;
    light.put(to_colors, c, color, qx * long, qy * long, qz * long, has_two_sides);
  }
}
