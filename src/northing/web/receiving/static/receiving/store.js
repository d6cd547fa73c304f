// What is kept on the phone: drafts of receipts by their page, and receipts that wait for the network.
const opened = new Promise((resolve, reject) => {
  const asked = indexedDB.open("dock", 1);
  asked.onupgradeneeded = () => {
    asked.result.createObjectStore("drafts");
    asked.result.createObjectStore("waiting", { keyPath: "key" });
  };
  asked.onsuccess = () => resolve(asked.result);
  asked.onerror = () => reject(asked.error);
});

async function run(store, mode, work) {
  const database = await opened;
  return new Promise((resolve, reject) => {
    const done = database.transaction(store, mode);
    const asked = work(done.objectStore(store));
    done.oncomplete = () => resolve(asked.result);
    done.onerror = () => reject(done.error);
  });
}

export const draftOf = (page) => run("drafts", "readonly", (store) => store.get(page));
export const saveDraft = (page, fields) => run("drafts", "readwrite", (store) => store.put(fields, page));
export const forgetDraft = (page) => run("drafts", "readwrite", (store) => store.delete(page));
export const wait = (receipt) => run("waiting", "readwrite", (store) => store.put(receipt));
export const forget = (key) => run("waiting", "readwrite", (store) => store.delete(key));

export async function waiting(who) {
  const all = await run("waiting", "readonly", (store) => store.getAll());
  return all.filter((one) => one.who === who).sort((a, b) => a.at - b.at);
}
