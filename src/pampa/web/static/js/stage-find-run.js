// Ten finds heard in a row, each as if it were out; decided meanwhile, or all together afterwards.

import { RATE } from "./constants.js";

const COUNT = 10;
const EARLY = RATE / 10;

/** @param {import("./page.js").Page} page */
export function findRun(page, stage) {
  let ids = [];
  let until = 0; // where the one that is heard ends, as it is heard
  return {
    going: false,
    heard: [],
    waiting: 0, // of those that were heard: neither taken out nor left
    at: 0,
    of: 0,

    start() {
      const { open, chosen } = page.finds;
      const here = chosen ? chosen.place : page.transport.playhead;
      const ahead = open.filter((find) => find.place >= here - 480);
      const from = ahead.length ? ahead : open;
      if (!from.length) { page.say("No finds are left to be heard."); return; }
      ids = from.slice(0, COUNT).map((find) => find.id);
      this.going = true;
      this.heard = [];
      this.of = ids.length;
      this.at = 0;
      this.next();
    },
    toggle() { return this.going ? this.end() : this.start(); },
    // To the one after; what was decided meanwhile is passed over.
    next() {
      const find = page.finds.open.find((other) => other.id === ids[this.at]);
      if (this.at >= ids.length) return this.end();
      this.at += 1;
      if (!find) return this.next();
      page.finds.choose(find);
      this.heard = [...this.heard, find.id];
      until = find.place + page.finds.runIn;
      return page.hand.hearWithout();
    },
    // The player has come to a stop: at the end of one, or because somebody stopped it.
    stopped() {
      if (!this.going) return;
      if (stage.player.position() >= until - EARLY) this.next();
      else this.going = false;
      this.count();
    },
    end() {
      this.going = false;
      if (page.transport.playing) stage.player.stop();
      this.count();
      if (this.waiting) page.say(`${this.heard.length} heard. Take out all that were, or go on.`);
    },
    // After every edit, too: finds are not watched by the page.
    count() { this.waiting = this.heardOpen().length; },
    heardOpen() { return page.finds.open.filter((find) => this.heard.includes(find.id)); },
    async takeHeard() {
      await page.finds.takeThese(this.heardOpen());
      this.heard = [];
      this.count();
    },
    get label() { return this.going ? `Stop: ${this.at} of ${this.of}` : "Hear ten in a row"; },
    get heardLabel() { return this.waiting === 1 ? "Take out the one heard" : `Take out the ${this.waiting} heard`; },
    get asks() { return !this.going && this.waiting > 0; },
  };
}
