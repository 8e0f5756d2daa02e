// On every page: takes that this browser still keeps and no tab is recording are sent, and what
// cannot be sent is offered.
import * as keep from "./keep.js";
import { Sender } from "./sender.js";
import { player } from "./site.js";
import { wavOf } from "./wav.js";

const place = document.getElementById("kept");
const urls = { begin: place.dataset.begin, takes: place.dataset.takes };
const lines = new Map();
const SHOWN_MS = 400;

const seconds = (value) => `${Math.max(1, Math.round(value))} s`;

function line(key, words, buttons = []) {
  let box = lines.get(key);
  if (!words) {
    box?.remove();
    lines.delete(key);
    return;
  }
  if (!box) {
    box = document.createElement("p");
    box.className = "kept-line";
    box.setAttribute("role", "status");
    place.append(box);
    lines.set(key, box);
  }
  box.replaceChildren(
    words,
    ...buttons.map(([label, act, href]) => {
      const button = document.createElement(href ? "a" : "button");
      if (button instanceof HTMLAnchorElement) button.href = href;
      else {
        button.type = "button";
        button.addEventListener("click", act);
      }
      button.className = "act";
      button.textContent = label;
      return button;
    }),
  );
}

async function attend(take) {
  await keep.holding(take.key, async () => {
    let kept = await keep.getTake(take.key);
    if (!kept) return;
    if (kept.refused) {
      offer(kept);
      return;
    }
    const cut = kept.state === "recording" || kept.state === "cut";
    // one that had not begun when its page was closed: nothing is lost, nothing is told
    const empty = cut && !(await keep.listBlocks(kept.key)).length;
    if (kept.state === "recording") await keep.changeTake(kept.key, { state: "cut" });
    if (kept.state !== "discarded" && !empty)
      setTimeout(() => {
        if (!over) line(kept.key, `A take of ${kept.title} is kept here and is being sent.`);
      }, SHOWN_MS);
    let over = false;
    const sender = new Sender(kept.key, urls, ({ state, waitingS }) => {
      if (state === "away")
        line(
          kept.key,
          `A take of ${kept.title} is kept here, ${seconds(waitingS)} not yet sent: ` +
            "Can't reach Thrumble. Retrying …",
        );
      else if (state === "sending" && lines.has(kept.key))
        line(kept.key, `A take of ${kept.title} is kept here, ${seconds(waitingS)} not yet sent.`);
    });
    const number = await sender.run();
    over = true;
    kept = await keep.getTake(kept.key);
    if (kept?.refused) offer(kept);
    else if (number === null || empty || take.state === "discarded") line(take.key, "");
    else if (cut)
      line(take.key, `A take of ${take.title} was cut off. All that was recorded has arrived.`, [
        ["Finish or delete it", null, `${urls.takes}/${number}`],
      ]);
    else
      line(take.key, `A take of ${take.title} that was kept here has arrived.`, [
        ["Open it", null, `${urls.takes}/${number}`],
      ]);
  });
}

/** A take the server will not have: nothing is thrown away without being asked. */
function offer(kept) {
  line(
    kept.key,
    `A take of ${kept.title} is kept in this browser, but Thrumble won't take it: ${kept.refused} `,
    [
      ["Send as a new take", () => sendAnew(kept)],
      ["Save as WAV", () => save(kept)],
      ["Discard take", () => discard(kept)],
    ],
  );
}

async function sendAnew(kept) {
  const key = crypto.randomUUID();
  await keep.putTake({
    ...kept,
    key,
    take: null,
    state: kept.state === "ended" ? "ended" : "cut",
    refused: null,
  });
  for (const { frame } of await keep.listBlocks(kept.key)) {
    const samples = await keep.getSound(kept.key, frame);
    if (samples) await keep.putBlock(key, frame, samples);
  }
  await keep.dropTake(kept.key);
  line(kept.key, "");
  await attend(await keep.getTake(key));
}

async function save(kept) {
  const blocks = await keep.listBlocks(kept.key);
  const link = document.createElement("a");
  link.href = URL.createObjectURL(
    await wavOf(blocks, (frame) => keep.getSound(kept.key, frame), kept.begin.rate),
  );
  link.download = `${kept.title}.wav`;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 60000);
}

async function discard(kept) {
  if (!confirm(`Discard this take of ${kept.title}? Its sound is nowhere else.`)) return;
  await keep.dropTake(kept.key);
  line(kept.key, "");
}

async function look() {
  let takes = [];
  try {
    takes = await keep.allTakes();
  } catch {
    return;
  } // this browser keeps nothing
  // over the network another account's takes in this browser wait until it is signed in again
  const ours = "own" in place.dataset ? takes.filter((take) => take.player === player) : takes;
  const list = document.getElementById("kept-list");
  if (list && !ours.length) list.textContent = list.dataset.empty;
  for (const take of ours) attend(take).catch(() => {});
}
look();
