// Only one tab records at a time.
let unlock = null; // lets other tabs record again

/** Whether this tab may: true, or soon true or false. */
export function alone() {
  if (!navigator.locks || unlock) return true;
  return new Promise((resolve) => {
    navigator.locks.request("thrumble-recording", { ifAvailable: true }, (lock) => {
      resolve(lock !== null);
      return (
        lock &&
        new Promise((done) => {
          unlock = done;
        })
      );
    });
  });
}

export function letGo() {
  unlock?.();
  unlock = null;
}
