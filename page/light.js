// Light on surfaces: pale from above, dim from below, and a lamp at the eye.

export class Light {
  /** `up` and `eye` point up and to the eye, in the space of the normals. */
  constructor(up, eye) {
    this.up = up;
    this.eye = eye;
  }

  /** Puts a surface of this color with this normal into three bytes; with `has_two_sides` the side that is seen is lit. */
  put(bytes, at, color, x, y, z, has_two_sides = false) {
    const { up, eye } = this;
    let facing = x * eye.x + y * eye.y + z * eye.z;
    let sky = 0.5 + 0.5 * (x * up.x + y * up.y + z * up.z);
    if (facing < 0 && has_two_sides) { facing = -facing; sky = 1 - sky; }
    const lamp = facing > 0 ? 0.38 * facing : 0;
    bytes[at] = Math.min(255, 255 * color.r * (0.38 + 0.3 * sky + lamp));
    bytes[at + 1] = Math.min(255, 255 * color.g * (0.37 + 0.31 * sky + lamp));
    bytes[at + 2] = Math.min(255, 255 * color.b * (0.34 + 0.34 * sky + lamp));
  }
}
