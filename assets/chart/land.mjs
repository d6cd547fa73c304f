// Prints the world's land as rings of [degrees east of the chart's middle, degrees north], cut at its edges.
// Natural Earth (public domain) by way of world-atlas.
import { readFileSync } from "node:fs";
import { geoEquirectangular, geoPath } from "d3-geo";
import { feature } from "topojson-client";

const [middle, scale] = process.argv.slice(2);
const file = new URL(`../../node_modules/world-atlas/land-${scale}.json`, import.meta.url);
const atlas = JSON.parse(readFileSync(file));
const projection = geoEquirectangular()
  .rotate([-Number(middle), 0])
  .scale(180 / Math.PI)
  .translate([0, 0])
  .precision(0);

const rings = [];
const round = (degrees) => Math.round(degrees * 100) / 100;
const point = (x, y) => [round(x), round(-y)];
const context = {
  moveTo: (x, y) => rings.push([point(x, y)]),
  lineTo: (x, y) => rings.at(-1).push(point(x, y)),
  closePath: () => {},
};
geoPath(projection, context)(feature(atlas, atlas.objects.land));
process.stdout.write(JSON.stringify(rings));
