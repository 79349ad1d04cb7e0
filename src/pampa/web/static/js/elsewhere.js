// What happens elsewhere is followed: edits in other windows, jobs, recordings that come in, what was measured anew.

/** @param {import("./page.js").Page} page */
export function followElsewhere(page) {
  const source = new EventSource(`/api/episodes/${page.episode.id}/events`);
  const on = (kind, work) => source.addEventListener(kind, (event) => work(JSON.parse(event.data)));
  on("revision", ({ revision }) => page.episode.newer(revision));
  on("job", (job) => page.jobs.told(job));
  on("recordings", () => { page.episode.readRecordings(); page.next.readSoon(); });
  on("loudness", () => { page.loudness.read(); page.balance.heardAnew(); });
  on("lining", () => { page.lineUp.read(); page.next.readSoon(); });
  on("checkups", () => page.gather.readCheckups());
  on("mended", () => { page.mend.told(); page.balance.mended(); });
  on("finds", () => page.finds.read());
  on("joins", () => page.seams.readJoins());
  on("pictures", () => page.picture.arrived());
  on("stems", () => page.places.readStems());
  on("larder", () => { if (page.gather.isView("larder")) page.larder.read(); });
  on("compared", () => page.compare.read());
  on("last-look", () => page.lastLook.read());
  on("straight", () => page.straight.ended());
  on("published", () => page.publish.read());
  on("deliveries", () => { page.sendOut.readDeliveries(); page.next.readSoon(); });
  // Whatever was told while nobody listened.
  source.onopen = () => {
    page.episode.reload();
    page.episode.readRecordings();
    page.gather.readCheckups();
    page.jobs.read();
    page.sendOut.readDeliveries();
    page.loudness.read();
    page.balance.heardAnew();
    if (page.isStage("prune")) page.finds.read();
    if (page.isStage("mend")) page.mend.told();
  };
}
