// Copies what the pages need from the npm packages to the folder that the
// application serves and carries in its binary. Run it after a version changes.
import { cpSync, mkdirSync, rmSync, writeFileSync } from "node:fs";
import { compile } from "sass";

const out = "internal/app/web/static/vendor";
rmSync(out, { recursive: true, force: true });
mkdirSync(out, { recursive: true });

const files = {
  "bootstrap/LICENSE": "bootstrap.LICENSE",
  "htmx.org/dist/htmx.min.js": "htmx.min.js",
  "htmx.org/LICENSE": "htmx.LICENSE",
  "idiomorph/dist/idiomorph-ext.min.js": "idiomorph-ext.min.js",
  "idiomorph/LICENSE": "idiomorph.LICENSE",
  "bezier-js/src/bezier.js": "bezier/bezier.js",
  "bezier-js/src/poly-bezier.js": "bezier/poly-bezier.js",
  "bezier-js/src/utils.js": "bezier/utils.js",
  "bezier-js/package.json": "bezier/package.json",
  "@fontsource/atkinson-hyperlegible-next/LICENSE": "atkinson-hyperlegible-next.LICENSE",
  "@fontsource/atkinson-hyperlegible-mono/LICENSE": "atkinson-hyperlegible-mono.LICENSE",
};
for (const weight of [400, 600, 700]) {
  const name = `atkinson-hyperlegible-next-latin-${weight}-normal.woff2`;
  files[`@fontsource/atkinson-hyperlegible-next/files/${name}`] = name;
}
for (const weight of [400, 500]) {
  const name = `atkinson-hyperlegible-mono-latin-${weight}-normal.woff2`;
  files[`@fontsource/atkinson-hyperlegible-mono/files/${name}`] = name;
}
for (const [from, to] of Object.entries(files)) cpSync(`node_modules/${from}`, `${out}/${to}`);

// Bootstrap is built from its sources, with the theme and the modules that are in use.
const { css } = compile("internal/app/web/styles/bootstrap.scss", {
  loadPaths: ["node_modules"],
  style: "compressed",
  quietDeps: true,
  silenceDeprecations: ["import", "global-builtin", "color-functions", "if-function"],
});
writeFileSync(`${out}/bootstrap.min.css`, css);
