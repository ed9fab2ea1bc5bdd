// Time: the frame, marks where something is over its gate, where feet stand, and plots.
import { page, array_of } from "./data.js";
import { state, update, current_clip } from "./state.js";
import { ANGLES, chosen_joint, angles_over_time } from "./joints.js";

const LANE = 14;  // pixels
const PLOT = 74;
const LEFT = 28;  // room for words; the scrub bar begins where its thumb's middle stands here
const RIGHT = 8;

/** Times the clip's own speed. */
export const SPEEDS = [0.1, 0.25, 0.5, 1, 2];

const color_of = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/** Measures of the current clip that are over their gate, by frame. */
export function marks() {
  return current_clip().measures.filter((m) => m.finding).sort((a, b) => a.frame - b.frame);
}

// A leg has the color of its bones, on whichever character it is.
function leg_color(leg) {
  for (const actor of page.actors) {
    const chain = actor.chains.find((c) => c.name === leg);
    if (chain) return page.groups[actor.bones[chain.bones[0]].group].color;
  }
  return color_of("--accent");
}

// The legs of the current clip's lanes, from the top down.
function legs_of_lanes() {
  return [...new Set(current_clip().contacts.map((lane) => lane.leg))];
}

// `L` for leg.left, `LB` for leg.left.back… : enough to tell lanes apart.
function leg_letter(leg) {
  return leg.split(".").slice(1).reverse().map((word) => word[0].toUpperCase()).join("");
}

function series_color(name) {
  if (name.startsWith("leg")) return leg_color(name);
  return name === "worst joint" ? color_of("--bad") : color_of("--accent");
}

// A canvas as wide as its box, with a pen in its pixels.
function pen_of(canvas, height) {
  const ratio = window.devicePixelRatio || 1;
  const width = canvas.clientWidth;
  canvas.width = width * ratio;
  canvas.height = height * ratio;
  canvas.style.height = `${height}px`;
  const pen = canvas.getContext("2d");
  pen.setTransform(ratio, 0, 0, ratio, 0, 0);
  pen.clearRect(0, 0, width, height);
  pen.font = '12px "DejaVu Sans", system-ui, sans-serif';
  pen.textBaseline = "top";
  return { pen, width };
}

function x_of(frame, width) {
  const last = Math.max(1, current_clip().frames - 1);
  return LEFT + (frame / last) * (width - LEFT - RIGHT);
}

/** The frame under a pixel. */
export function frame_at(x, width) {
  return Math.round(((x - LEFT) / Math.max(1, width - LEFT - RIGHT)) * (current_clip().frames - 1));
}

/** Marks over the scrub bar, and a lane for each foot: where it stands, source above result. */
export function draw_marks(canvas) {
  const lanes = current_clip().contacts;
  const legs = legs_of_lanes();
  const { events } = current_clip();
  const height = 16 + (legs.length + (events.length > 0 ? 1 : 0)) * LANE;
  const { pen, width } = pen_of(canvas, height);
  for (const mark of marks()) {
    const x = x_of(mark.frame, width);
    pen.fillStyle = color_of("--bad");
    pen.beginPath();
    pen.moveTo(x - 5, 2);
    pen.lineTo(x + 5, 2);
    pen.lineTo(x, 12);
    pen.fill();
  }
  legs.forEach((leg, row) => {
    pen.fillStyle = color_of("--dim");
    pen.fillText(leg_letter(leg), 4, 14 + row * LANE);
    for (const lane of lanes.filter((l) => l.leg === leg)) {
      const half = page.actors.length > 1 ? (LANE - 2) / 2 : LANE - 2;
      const y = 16 + row * LANE + (lane.actor === 1 ? half : 0);
      pen.fillStyle = leg_color(leg);
      pen.globalAlpha = lane.actor === 0 && page.actors.length > 1 ? 0.45 : 1;
      for (const [first, last] of lane.spans) {
        const from = Math.max(x_of(first - 0.5, width), LEFT - 8);
        pen.fillRect(from, y, (current_clip().frames === 1 ? width : Math.min(x_of(last + 0.5, width), width)) - from, half);
      }
    }
  });
  pen.globalAlpha = 1;
  if (events.length > 0) draw_events(pen, events, 16 + legs.length * LANE, width);
  canvas.title = "▼ over a gate. Bars: where feet stand, the left one blue, the right one orange" +
    (page.actors.length > 1 ? "; pale: the source's" : "") + (events.length > 0 ? ". ◆ what happens" : "");
}

// What happens: a bar where it takes time, else a diamond.
function draw_events(pen, events, top, width) {
  pen.fillStyle = color_of("--dim");
  pen.fillText("◆", 4, top - 2);
  const middle = top + LANE / 2 - 1;
  for (const { first, last } of events) {
    const from = x_of(first, width);
    pen.fillStyle = color_of("--accent");
    if (last > first) {
      pen.globalAlpha = 0.45;
      pen.fillRect(from, middle - 3, x_of(last, width) - from, 6);
      pen.globalAlpha = 1;
    } else {
      pen.beginPath();
      for (const [dx, dy] of [[0, -6], [6, 0], [0, 6], [-6, 0]]) pen.lineTo(from + dx, middle + dy);
      pen.fill();
    }
  }
}

// The clip's plots, and the angles of the chosen joint.
function plots_of(clip) {
  const last = page.actors.length - 1;
  if (clip.plots.length === 0 || page.actors[last].joints.length === 0) return clip.plots;
  const joint = chosen_joint();
  const name = joint ? page.actors[last].bones[joint.bone].name : "the chosen joint";
  return [...clip.plots, ...ANGLES.map(([angle, words]) => ({
    title: `${words} of ${name}${joint ? ` against its range, ${joint[angle].map((v) => v.toFixed(0)).join(" to ")}` : ": choose one"}`,
    unit: "°", least: 5, band: joint && joint[angle],
    series: joint ? [{ actor: last, name: words, values: angles_over_time(joint)[angle] }] : [] }))];
}

/** Where the plot of an angle is in the lists of plots; -1 where there is none. */
export function plot_of_angle(index) {
  const { plots } = current_clip();
  return plots.length === 0 ? -1 : plots.length + index;
}

const chosen_plots = () => state.plots.map((index) => plots_of(current_clip())[index]).filter(Boolean);

const values_of = (series) => (Array.isArray(series.values) ? series.values : array_of(series, "values"));

/** The source's leg whose lane is at this height of the canvas, or undefined. */
export function lane_at(y) {
  return legs_of_lanes()[Math.floor((y - 15) / LANE)];
}

/** Frames a span of frames in a leg's lane. */
export function frame_span(canvas, leg, first, last) {
  draw_marks(canvas);
  const row = legs_of_lanes().indexOf(leg);
  const width = canvas.clientWidth;
  const pen = canvas.getContext("2d");
  pen.strokeStyle = color_of("--text");
  pen.lineWidth = 2;
  pen.strokeRect(x_of(first, width) - 2, 15 + row * LANE, x_of(last, width) - x_of(first, width) + 4, LANE - 1);
}

/** The two plots that are chosen, below each other, and the places for their values. */
export function draw_plots(canvas, values) {
  const plots = chosen_plots();
  const { pen, width } = pen_of(canvas, plots.length * PLOT);
  plots.forEach((plot, i) => draw_plot(pen, plot, i * PLOT, width));
  values.replaceChildren(...plots.map((plot, i) => values_line(plot, i * PLOT)));
}

/** Puts the cursor where the current frame is. */
export function place_cursor(cursor, canvas) {
  cursor.style.transform = `translateX(${x_of(state.frame, canvas.clientWidth) - 0.5}px)`;
}

/** Writes what the plots' values are in the current frame. */
export function write_values(canvas, values) {
  chosen_plots().forEach((plot, i) => {
    const line = values.children[i];
    plot.series.forEach((series, s) => { line.children[2 * s + 1].textContent = value_words(plot, series); });
  });
  canvas.setAttribute("aria-label", chosen_plots().map(plot_words).join(". "));
}

function value_words(plot, series) {
  const value = values_of(series)[state.frame];
  const words = value.toFixed(plot.unit === "°" ? 1 : 3);
  return `${label_of(series)} ${Number(words) === 0 ? words.replace("-", "") : words}`;
}

function values_line(plot, top) {
  const line = document.createElement("p");
  line.style.top = `${top}px`;
  for (const series of plot.series) {
    const swatch = document.createElement("i");
    swatch.style.borderTopColor = series_color(series.name);
    if (series.actor === 0 && page.actors.length > 1) swatch.className = "source";
    line.append(swatch, document.createElement("span"));
  }
  return line;
}

function plot_words(plot) {
  return `${plot.title}, ${plot.unit}, at frame ${state.frame}: ${plot.series.map((s) => value_words(plot, s)).join(", ")}`;
}

function label_of(series) {
  const { name, role } = page.actors[series.actor];
  return page.actors.length > 1 ? `${series.name}, ${role || name}` : series.name;
}

function draw_plot(pen, plot, top, width) {
  const all = plot.series.map(values_of);
  let low = plot.band ? Math.min(0, plot.band[0]) : 0;
  let high = plot.band ? Math.max(plot.least, plot.band[1]) : plot.least;
  for (const values of all) for (const v of values) { low = Math.min(low, v); high = Math.max(high, v); }
  const room = plot.band ? 0.08 * (high - low) : 0;  // so that the ends of a range can be seen
  low -= room;
  high += room;
  const y_of = (v) => top + PLOT - 5 - ((v - low) / (high - low)) * (PLOT - 26);
  if (plot.band) {
    pen.fillStyle = color_of("--accent-soft");
    pen.fillRect(LEFT, y_of(plot.band[1]), width - LEFT - RIGHT, y_of(plot.band[0]) - y_of(plot.band[1]));
  }
  pen.strokeStyle = color_of("--line");
  pen.lineWidth = 1;
  pen.beginPath();
  for (const v of [0, high - room]) { pen.moveTo(LEFT, y_of(v)); pen.lineTo(width - RIGHT, y_of(v)); }
  pen.stroke();
  plot.series.forEach((series, s) => {
    pen.strokeStyle = series_color(series.name);
    const is_source = series.actor === 0 && page.actors.length > 1;
    pen.setLineDash(is_source ? [4, 3] : []);
    pen.lineWidth = is_source ? 1.2 : 1.8;
    pen.beginPath();
    all[s].forEach((v, f) => (f === 0 ? pen.moveTo(x_of(f, width), y_of(v)) : pen.lineTo(x_of(f, width), y_of(v))));
    pen.stroke();
  });
  pen.setLineDash([]);
  pen.fillStyle = color_of("--text");
  pen.fillText(`${plot.title}, ${plot.unit}`, 4, top + 2);
}

/** The next mark after the current frame, around the end. */
export function go_to_next_mark() {
  const all = marks();
  if (all.length === 0) return;
  const next = all.find((mark) => mark.frame > state.frame) || all[0];
  update({ frame: next.frame, playing: false });
}

/** Fills the lists of plots, speeds. */
export function fill_choices(plot_a, plot_b, speed) {
  for (const [select, other] of [[plot_a, 0], [plot_b, 1]]) {
    select.replaceChildren(...plots_of(current_clip()).map((plot, i) => new Option(plot.title.split(/ against|:/)[0], i)));
    select.value = state.plots[other];
  }
  if (speed.options.length > 0) return;
  for (const value of SPEEDS) speed.append(new Option(`${value}×`, value));
  speed.value = 1;
}

export function time_words() {
  const clip = current_clip();
  return `frame ${state.frame} of ${clip.frames - 1} · ${(state.frame / clip.fps).toFixed(2)} s · ${clip.fps} fps`;
}

