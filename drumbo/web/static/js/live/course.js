// How far a layer is, as paths. Nothing here knows the page.

/**
 * A layer's columns as SVG path data in millimetres, y downwards: what is laid once `line` of the file is done, and
 * what is still to come; and the place of the head, or null before the layer has begun.
 */
export function split({ line: lines, x, y, laid }, line) {
  const paths = { laid: [], toLay: [] };
  let head = null;
  let open = null;
  for (let k = 0; k < lines.length; k += 1) {
    const done = lines[k] <= line;
    const place = `${x[k] / 100} ${-y[k] / 100}`;
    if (done) head = [x[k] / 100, -y[k] / 100];
    const onto = done ? paths.laid : paths.toLay;
    if (laid[k] && k > 0) {
      if (open !== onto) onto.push(`M${x[k - 1] / 100} ${-y[k - 1] / 100}`);
      onto.push(`L${place}`);
      open = onto;
    } else {
      open = null;
    }
  }
  return { laid: paths.laid.join(""), toLay: paths.toLay.join(""), head };
}

/** All of a layer. */
export const whole = (layer) => split(layer, Infinity).laid;
