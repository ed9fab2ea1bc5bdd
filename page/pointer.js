// Mouse, touch and pen on the stage.

/**
 * Turns, moves and zooms: a drag, a drag with shift or two fingers, the wheel or a pinch. `on_click` gets a bone or
 * undefined, `on_turn` an axis, degrees and an object that stands for one drag; axis -1 when the drag ends.
 */
export function listen_to_stage(stage, on_click, on_turn) {
  const { element } = stage;
  const down = new Map();  // where each pointer was last
  let ring;
  let moved = 0;
  element.addEventListener("pointerdown", (event) => {
    if (down.size === 0) {
      moved = 0;
      ring = stage.ring_at(...stage.pixel_of(event));
      if (ring) ring.drag = {};
    }
    down.set(event.pointerId, stage.pixel_of(event));
    element.setPointerCapture(event.pointerId);
    element.focus({ preventScroll: true });
  });
  element.addEventListener("pointermove", (event) => {
    const last = down.get(event.pointerId);
    if (!last) return;
    const now = stage.pixel_of(event);
    const [dx, dy] = [now[0] - last[0], now[1] - last[1]];
    moved += Math.abs(dx) + Math.abs(dy);
    const others = [...down].filter(([id]) => id !== event.pointerId).map(([, pixel]) => pixel);
    down.set(event.pointerId, now);
    if (others.length > 0) {
      stage.zoom(distance(others[0], last) / Math.max(distance(others[0], now), 1));
      stage.move(dx / 2, dy / 2);
    } else if (ring) {
      on_turn(ring.axis, ring.sign * degrees_about(ring.middle, last, now), ring.drag);
    } else if (event.shiftKey || event.buttons & 6) {
      stage.move(dx, dy);
    } else {
      stage.turn(-0.008 * dx, 0.008 * dy);
    }
  });
  const end = (event) => {
    if (!down.delete(event.pointerId) || down.size > 0) return;
    if (ring && moved > 0) on_turn(-1, 0, ring.drag);
    else if (event.type === "pointerup" && moved < 4) on_click(stage.bone_at(...stage.pixel_of(event)));
    ring = undefined;
  };
  element.addEventListener("pointerup", end);
  element.addEventListener("pointercancel", end);
  element.addEventListener("contextmenu", (event) => event.preventDefault());
  element.addEventListener("wheel", (event) => {
    event.preventDefault();
    stage.zoom(Math.exp(0.001 * event.deltaY));
  }, { passive: false });
}

const distance = (a, b) => Math.hypot(a[0] - b[0], a[1] - b[1]);

// From one pixel to another about a third, the short way.
function degrees_about(middle, [x0, y0], [x1, y1]) {
  const angle = Math.atan2(y1 - middle.y, x1 - middle.x) - Math.atan2(y0 - middle.y, x0 - middle.x);
  return (Math.atan2(Math.sin(angle), Math.cos(angle)) * 180) / Math.PI;
}
