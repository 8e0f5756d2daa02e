// Takes kept in this browser until the server has all of them: their sound in small blocks, in
// IndexedDB. What is written here outlives a
// reload, a closed tab and a killed browser.

import { player } from "./site.js";

const NAME = "thrumble-takes";

const done = (request) =>
  new Promise((resolve, reject) => {
    request.onsuccess = () => resolve(request.result);
    request.onerror = () => reject(request.error);
  });
const ended = (tx) =>
  new Promise((resolve, reject) => {
    tx.oncomplete = () => resolve();
    tx.onabort = tx.onerror = () => reject(tx.error);
  });

let opening = null;

function database() {
  opening ??= new Promise((resolve, reject) => {
    const request = indexedDB.open(NAME, 1);
    request.onupgradeneeded = () => {
      request.result.createObjectStore("takes", { keyPath: "key" });
      // what there is, and whether it has arrived
      request.result.createObjectStore("blocks", { keyPath: ["key", "frame"] });
      request.result.createObjectStore("sound", { keyPath: ["key", "frame"] });
    };
    request.onsuccess = () => {
      request.result.onclose = () => {
        opening = null;
      };
      resolve(request.result);
    };
    request.onerror = () => reject(request.error);
  });
  opening.catch(() => {
    opening = null;
  });
  return opening;
}

async function write(stores, work) {
  const tx = (await database()).transaction(stores, "readwrite");
  const over = ended(tx);
  work(...stores.map((name) => tx.objectStore(name)));
  await over;
}

const blocksOf = (key) => IDBKeyRange.bound([key, 0], [key, Number.MAX_SAFE_INTEGER]);

/** A take as it is kept: { key, title, begin, beganAt, take, state, report }. `begin`: what the
 *  server is told; `take`: its number there once known;
 *  `state`: recording, ended or discarded; `report`: what the recorder noticed, at the end. */
export async function putTake(take) {
  await write(["takes"], (takes) => takes.put({ player, ...take }));
}

export async function getTake(key) {
  return (
    (await done((await database()).transaction("takes").objectStore("takes").get(key))) ?? null
  );
}

export async function allTakes() {
  return done((await database()).transaction("takes").objectStore("takes").getAll());
}

/** Changes a kept take in one step, so that two tabs never undo each other; a take that has
 *  gone stays gone. */
export async function changeTake(key, change) {
  await write(["takes"], (takes) => {
    takes.get(key).onsuccess = (event) => {
      if (event.target.result) takes.put({ ...event.target.result, ...change });
    };
  });
}

/** Sound from a frame on; Float32Array. Resolves once it is written. */
export async function putBlock(key, frame, samples) {
  await write(["blocks", "sound"], (blocks, sound) => {
    blocks.put({ key, frame, count: samples.length, sent: 0 });
    sound.put({ key, frame, samples });
  });
}

/** Every block of a take in order: { frame, count, sent }. */
export async function listBlocks(key) {
  return done((await database()).transaction("blocks").objectStore("blocks").getAll(blocksOf(key)));
}

/** The sound of a block, null where it was let go to make room. */
export async function getSound(key, frame) {
  return (
    (await done((await database()).transaction("sound").objectStore("sound").get([key, frame])))
      ?.samples ?? null
  );
}

/** Marks blocks, by their frames, as having arrived or not. */
export async function markSent(key, frames, sent = 1) {
  await write(["blocks"], (blocks) => {
    for (const frame of frames)
      blocks.get([key, frame]).onsuccess = (event) => {
        if (event.target.result) blocks.put({ ...event.target.result, sent });
      };
  });
}

/** Lets go of sound that has arrived: only where this browser has no room left for more. */
export async function makeRoom(key) {
  const arrived = (await listBlocks(key)).filter((block) => block.sent);
  await write(["sound"], (sound) => {
    for (const { frame } of arrived) sound.delete([key, frame]);
  });
}

/** Removes a take and its sound from this browser. */
export async function dropTake(key) {
  await write(["takes", "blocks", "sound"], (takes, blocks, sound) => {
    takes.delete(key);
    blocks.delete(blocksOf(key));
    sound.delete(blocksOf(key));
  });
}

/** First and behind-last frame of everything kept, neighbours joined. */
export function spansOf(blocks) {
  const spans = [];
  for (const { frame, count } of blocks) {
    const last = spans.at(-1);
    if (last && frame <= last[1]) last[1] = Math.max(last[1], frame + count);
    else spans.push([frame, frame + count]);
  }
  return spans;
}

/** Seconds of sound this browser has room for, null where it does not say. Asks it to keep what
 *  is here. */
export async function roomSeconds(rate) {
  try {
    navigator.storage?.persist?.().catch(() => {});
    const { quota, usage } = await navigator.storage.estimate();
    return Math.max(0, (quota - usage) / (rate * 4 * 1.3));
  } catch {
    return null;
  }
}

/** Holds a take for this tab while `work` runs; false at once where another tab holds it. */
export async function holding(key, work) {
  if (!navigator.locks) {
    await work();
    return true;
  }
  return navigator.locks.request(`take-${key}`, { ifAvailable: true }, async (lock) => {
    if (lock) await work();
    return lock !== null;
  });
}
