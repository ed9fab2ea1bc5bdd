// Three rings about a bone, by which it is turned at rest: about left, up and forward.
import { AXIS_COLORS } from "./actor.js";

const STEPS = 48;
const REACH = 9;  // pixels from which a ring is taken

export class Rings {
  constructor() {
    this.group = new THREE.Group();
    this.circles = [0, 1, 2].map((axis) => {
      const points = Array.from({ length: STEPS }, (_, k) => {
        const angle = (2 * Math.PI * k) / STEPS;
        const round = [Math.cos(angle), Math.sin(angle)];
        const at = [0, 0, 0];
        at[(axis + 1) % 3] = round[0];
        at[(axis + 2) % 3] = round[1];
        return new THREE.Vector3(...at);
      });
      const material = new THREE.LineBasicMaterial({ color: AXIS_COLORS[axis], depthTest: false });
      const line = new THREE.LineLoop(new THREE.BufferGeometry().setFromPoints(points), material);
      line.frustumCulled = false;
      line.renderOrder = 13;
      this.group.add(line);
      return points;
    });
  }

  place(middle, radius) {
    this.group.position.copy(middle);
    this.group.scale.setScalar(radius);
    this.group.updateMatrixWorld(true);
  }

  /** The ring near a pixel: its axis, or -1. `to_screen` takes a point of the stage to pixels. */
  axis_at(x, y, to_screen) {
    let best = { axis: -1, distance: REACH };
    this.circles.forEach((points, axis) => {
      for (const point of points) {
        const at = to_screen(point.clone().applyMatrix4(this.group.matrixWorld));
        const distance = Math.hypot(at.x - x, at.y - y);
        if (distance < best.distance) best = { axis, distance };
      }
    });
    return best.axis;
  }
}
