// A headless browser that draws without a graphics card.
import { createRequire } from "node:module";
import { resolve } from "node:path";

/** `modules`: the folder in which playwright-core is installed. */
export function launch(modules) {
  const { chromium } = createRequire(resolve(modules, "package.json"))("playwright-core");
  return chromium.launch({
    executablePath: "/usr/bin/chromium",
    args: ["--no-sandbox", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update",
           "--disable-sync", "--use-gl=angle", "--use-angle=swiftshader", "--enable-unsafe-swiftshader"],
  });
}

export const PATIENCE = 120000;  // milliseconds: machines that test much at once are slow
