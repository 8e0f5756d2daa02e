// Passkeys: the browser makes and uses them, the server knows their public half only.
import { problem, send } from "../shared/site.js";

const UNUSED = "The passkey wasn't used. Try again, or sign in with your password.";
const WORDS = {
  AbortError: UNUSED,
  NotAllowedError: UNUSED,
  InvalidStateError: "This device has a passkey for you here already.",
  SecurityError: "Passkeys need https. Open this page by its host name.",
};
const asJson = { "content-type": "application/json" };
/** @type {any} its newest calls are not known to the compiler yet */
const credentials = window.PublicKeyCredential;
const can = Boolean(credentials?.parseCreationOptionsFromJSON);

/** Asks the server, lets the browser answer, sends the answer. */
async function exchange(button, answer) {
  problem("");
  button.disabled = true;
  try {
    const question = await (await send(button.dataset.question)).json();
    const credential = await answer(question);
    const body = JSON.stringify({
      credential: JSON.stringify(credential.toJSON()),
      name: document.getElementById("passkey-name")?.value ?? "",
      back: button.dataset.back ?? "/",
    });
    const reply = await send(button.dataset.answer, { body, headers: asJson });
    location.assign((await reply.json()).href);
  } catch (error) {
    problem(WORDS[error.name] ?? error.message);
  } finally {
    button.disabled = false;
  }
}

const use = document.getElementById("use-passkey");
if (use && can) {
  use.hidden = false;
  use.addEventListener("click", () =>
    exchange(use, (question) =>
      navigator.credentials.get({
        publicKey: credentials.parseRequestOptionsFromJSON(question),
      }),
    ),
  );
}
const add = document.getElementById("add-passkey");
if (add) {
  if (!can) {
    add.disabled = true;
    add.textContent = "This browser has no passkeys here";
  }
  add.addEventListener("click", () =>
    exchange(add, (question) =>
      navigator.credentials.create({
        publicKey: credentials.parseCreationOptionsFromJSON(question),
      }),
    ),
  );
}
