// Files out of folders: all that may hold sound, with the names of the folders that they lie in.

const SOUNDS = /\.(wav|wave|bwf|w64|rf64|aiff?|aifc|caf|flac|mp3|m4a|mp4|aac|ogg|oga|opus|wma|wv|mka|webm|mov)$/i;

const inside = (folder) => {
  const reader = folder.createReader();
  return new Promise((resolve, reject) => {
    const all = [];
    // A browser gives out so many at a time; none means that there are no more.
    const next = () => reader.readEntries((some) => {
      if (!some.length) return resolve(all);
      all.push(...some);
      return next();
    }, reject);
    next();
  });
};

async function walked(entry, folders) {
  if (entry.isFile) return [{ file: await new Promise((resolve, reject) => entry.file(resolve, reject)), folders }];
  const within = [];
  for (const each of await inside(entry)) within.push(...(await walked(each, [...folders, entry.name])));
  return within;
}

// What was dropped, folders opened: [{file, folders}]. Has to be called while the drop is handled.
export function opened(transfer) {
  const entries = [...transfer.items].map((item) => item.webkitGetAsEntry()).filter(Boolean);
  return Promise.all(entries.map((entry) => walked(entry, []))).then((all) => all.flat());
}

// What a field for a whole folder gave, in the same form.
export const chosen = (files) => [...files].map((file) => ({ file, folders: file.webkitRelativePath.split("/").slice(0, -1) }));

// Whether a file out of a folder may hold sound; a file that somebody chose by itself is always taken.
export const mayHoldSound = ({ file, folders }) => folders.length === 0 || SOUNDS.test(file.name);
