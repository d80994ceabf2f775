// Temperatures of the last minutes as paths over one axis. Nothing here knows the page.

export const SIZE = { width: 420, height: 96, left: 28, top: 6, floor: 84 };
const SPAN_S = 600;
const LEAST_S = 30;
const ROOM = 1.12;

/** Rows (s, nozzle, target, bed, target) without those that are too old. */
export const recent = (rows) => rows.filter(([at]) => at >= rows.at(-1)[0] - SPAN_S);

/** Where rows lie: x of a second, y of a temperature, and round temperatures for the grid. */
export function frame(rows) {
  const last = rows.at(-1)[0];
  const span = Math.max(last - rows[0][0], LEAST_S);
  const most = Math.max(50, ...rows.flatMap((row) => row.slice(1).filter((c) => c !== null))) * ROOM;
  const { width, left, top, floor } = SIZE;
  const step = [25, 50, 100, 200].find((each) => most / each <= 4) ?? 200;
  return {
    span,
    x: (at) => left + ((width - left) * (at - last + span)) / span,
    y: (heat) => floor - ((floor - top) * heat) / most,
    grid: Array.from({ length: Math.floor(most / step) + 1 }, (_, k) => k * step),
  };
}

/** One column as a path; where nothing was told there is a gap. */
export function path(rows, column, { x, y }) {
  let out = "";
  let pen = "M";
  for (const row of rows) {
    if (row[column] === null) {
      pen = "M";
    } else {
      out += `${pen}${x(row[0]).toFixed(1)} ${y(row[column]).toFixed(1)}`;
      pen = "L";
    }
  }
  return out;
}

/** How long that is, in words. */
export const spanSays = (span) => (span < 90 ? `last ${Math.round(span)} s` : `last ${Math.round(span / 60)} min`);
