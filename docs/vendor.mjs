// Copies the front-end files that ship with Drumbo out of node_modules. Run by `make vendor`.
import { cpSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";

const out = "drumbo/web/static/vendor";
mkdirSync(`${out}/fonts`, { recursive: true });
cpSync("node_modules/htmx.org/dist/htmx.min.js", `${out}/htmx.min.js`);
cpSync("node_modules/htmx.org/LICENSE", `${out}/htmx.LICENSE`);
const whole = readFileSync("node_modules/bootstrap/dist/css/bootstrap.min.css", "utf8");
writeFileSync(`${out}/bootstrap.min.css`, whole.replace(/\/\*# sourceMappingURL=.*?\*\//g, ""));
cpSync("node_modules/bootstrap/LICENSE", `${out}/bootstrap.LICENSE`);
for (const [font, name] of [
  ["bricolage-grotesque", "bricolage-grotesque"],
  ["atkinson-hyperlegible-next", "atkinson-hyperlegible-next"],
  ["atkinson-hyperlegible-mono", "atkinson-hyperlegible-mono"],
]) {
  for (const range of ["latin", "latin-ext"]) {
    const file = `${name}-${range}-wght-normal.woff2`;
    cpSync(`node_modules/@fontsource-variable/${font}/files/${file}`, `${out}/fonts/${file}`);
  }
  cpSync(`node_modules/@fontsource-variable/${font}/LICENSE`, `${out}/fonts/${name}.LICENSE`);
}
// For the tests only: it looks over pages for what keeps people out.
mkdirSync("tests/vendor", { recursive: true });
cpSync("node_modules/axe-core/axe.min.js", "tests/vendor/axe.min.js");
cpSync("node_modules/axe-core/LICENSE", "tests/vendor/axe.LICENSE");
