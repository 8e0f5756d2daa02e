// Goes on to the page that was wanted as soon as the server answers.
const EVERY_MS = 3000;

async function tryAgain() {
  try {
    if ((await fetch("/healthz", { cache: "no-store" })).ok) location.reload();
  } catch {
    // still away: the next try comes by itself
  }
}

document.getElementById("try-again").addEventListener("click", tryAgain);
setInterval(tryAgain, EVERY_MS);
