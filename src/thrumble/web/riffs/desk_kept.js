// What this browser keeps of the desk. A private window keeps none of it.

/** The draft of a riff under a key, which names the revision it began from: what is not saved yet
 *  outlives a reload. */
export const draftOf = (key) => ({
  read() {
    try {
      return localStorage.getItem(key);
    } catch {
      return null;
    }
  },
  keep(source) {
    try {
      localStorage.setItem(key, source);
    } catch {
      /* none */
    }
  },
  drop() {
    try {
      localStorage.removeItem(key);
    } catch {
      /* none */
    }
  },
});

export function keptCounting() {
  try {
    return localStorage.getItem("counting") ?? "beats";
  } catch {
    return "beats";
  }
}

export function keepCounting(way) {
  try {
    localStorage.setItem("counting", way);
  } catch {
    /* for this page only */
  }
}
