// Linear blend skinning (glTF 2.0, section 3.7.3) on the processor: browsers without a graphics card draw
// a surface that stands still several times as fast as one that the card's program bends.
import { array } from "./data.js";

/** The surfaces of one character that can be drawn at once. */
export class Skin {
  /**
   * `meshes` of the page's document, alike in `closed` and `picture`; `matrices` of all bones, which `bend` reads;
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
    for (const name of ["position", "normal", "color"])
      geometry.setAttribute(name, new THREE.BufferAttribute(new Float32Array(3 * start), 3));
    const corners = this.parts.reduce((sum, part) => sum + part.triangles.length, 0);
    const index = start < 65536 ? new Uint16Array(corners) : new Uint32Array(corners);
    let at = 0;
    for (const part of this.parts) {
      for (const corner of part.triangles) index[at++] = corner + part.start;
      for (let v = 0; v < part.positions.length / 3; ++v)
        geometry.attributes.color.setXYZ(part.start + v, part.color.r, part.color.g, part.color.b);
    }
    geometry.setIndex(new THREE.BufferAttribute(index, 1));
    const side = meshes[0].closed ? THREE.FrontSide : THREE.DoubleSide;
    const material = new THREE.MeshLambertMaterial({ vertexColors: THREE.VertexColors, side });
    if (picture) {
      const points = new Float32Array(2 * start);
      for (const part of this.parts) points.set(part.picture_points, 2 * part.start);
      geometry.setAttribute("uv", new THREE.BufferAttribute(points, 2));
      load_picture(picture, material, ready);
    }
    this.mesh = new THREE.Mesh(geometry, material);
    this.mesh.frustumCulled = false;
  }

  /** Puts the surfaces where the bones stand; `props` says, as 12 numbers each, where the clip has them. */
  bend(props) {
    const { position, normal } = this.mesh.geometry.attributes;
    for (const part of this.parts) part.bend(position.array, normal.array, props);
    position.needsUpdate = true;
    normal.needsUpdate = true;
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

  bend(positions, normals, props) {
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
    bend_all(this, positions.subarray(3 * this.start), normals.subarray(3 * this.start));
  }
}

const product = new THREE.Matrix4();

function bend_all({ positions, normals, joints, weights, palette }, to, to_normals) {
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
    to_normals[c] = qx * long; to_normals[c + 1] = qy * long; to_normals[c + 2] = qz * long;
  }
}
