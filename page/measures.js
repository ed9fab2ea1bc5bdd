// Measures against their gates, and in words.
import { make } from "./make.js";

/** The order of measures and clips, worst first: what is over its gate before all else. */
export function rank(measure) {
  return measure === undefined ? -1 : (measure.finding ? 1000 : 0) + measure.strain;
}

/** The measure of a clip that is nearest to its gate, or farthest beyond it; or undefined. */
export function worst_of(clip) {
  return clip.measures.reduce((worst, measure) => (rank(measure) > rank(worst) ? measure : worst), undefined);
}

export function over_count(clip) {
  return clip.measures.filter((measure) => measure.finding).length;
}

/** `foot_slide_mm` as people read it: name and unit. */
export function measure_words(name) {
  const units = { mm: "mm", pct: "%", deg: "°" };
  const words = name.split("_");
  const unit = units[words[words.length - 1]];
  if (unit) words.pop();
  return { name: words.join(" "), unit: unit || "frames" };
}

export function measure_text(measure) {
  const { unit } = measure_words(measure.name);
  const digits = measure.value >= 100 || unit === "frames" ? 0 : measure.value >= 10 ? 1 : 2;
  return `${measure.value.toFixed(digits)} ${unit}`;
}

/** A clip's worst measure in words, and a bar as long as its share of the gate. */
export function meter(clip) {
  const worst = worst_of(clip);
  if (!worst) return [];
  const bar = make("i");
  bar.style.width = `${100 * Math.min(1, worst.strain)}%`;
  return [make("span", { className: "worst" }, `${measure_words(worst.name).name} ${measure_text(worst)}`),
          make("span", { className: "bar", title: "the worst measure against its gate" }, bar)];
}
