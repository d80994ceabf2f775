// Reading a trial: scores by keyboard and thumb, first signs, numbers that a calliper types, pictures to look at.
import { $ } from "../dom.js";
import { Outbox } from "../outbox.js";
import { post } from "../server.js";
import { listenForFirsts } from "./firsts.js";
import { listenForNumbers } from "./numbers.js";
import { listenForScores } from "./scores.js";
import { listenForZoom } from "./zoom.js";

const FOLLOWS = ["leaves", "verdict", "fit", "spreads", "charts"];

/** What the readings say by now stands in the answer to the last of them. */
function renew(page) {
  const fresh = new DOMParser().parseFromString(page, "text/html");
  for (const id of FOLLOWS) {
    const part = fresh.getElementById(id);
    if (part) document.getElementById(id)?.replaceWith(part);
  }
}

const root = $("#reading");
const outbox = new Outbox(post, renew);
listenForFirsts(root, outbox);
const numbers = listenForNumbers(root, outbox);
listenForScores(root, outbox);
listenForZoom($("#zoom"), numbers);
