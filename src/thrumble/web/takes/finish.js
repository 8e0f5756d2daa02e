// A take that was cut off is finished only once this browser has sent all that it keeps of it.
import * as keep from "../shared/keep.js";

const LOOK_MS = 200;
const LONGEST_MS = 30_000; // then what has arrived is read: the rest stays in this browser

async function waitingBlocks(number) {
  const mine = (await keep.allTakes()).filter((take) => take.take === number && !take.refused);
  const blocks = await Promise.all(mine.map((take) => keep.listBlocks(take.key)));
  return blocks.flat().filter((block) => !block.sent).length;
}

async function arrived(number) {
  const until = performance.now() + LONGEST_MS;
  try {
    while ((await waitingBlocks(number)) && performance.now() < until)
      await new Promise((resolve) => setTimeout(resolve, LOOK_MS));
  } catch {
    // a browser that keeps nothing has nothing to send
  }
}

/** Holds the request of the finish button back until the take's sound has arrived. */
export function finishWhole() {
  document.addEventListener("htmx:confirm", (event) => {
    const { elt, issueRequest } = event.detail;
    if (!elt.matches("[data-finish]")) return;
    event.preventDefault();
    elt.disabled = true;
    document.getElementById("finish-words").textContent = "Sending what this browser still keeps …";
    arrived(Number(elt.dataset.finish)).then(() => {
      elt.disabled = false;
      issueRequest(true);
    });
  });
}
