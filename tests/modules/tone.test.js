import { dbOfY, hzOfX, hung, xOfHz, yOfDb } from "/static/js/spectrum.js";
import { roundHz, stepped } from "/static/js/stage-balance-tone.js";
import { bandDb, toneDb } from "/static/js/tone-response.js";
import { readColumns } from "/static/js/voice-curves.js";
import { checks } from "./check.js";

const { same, wrong } = checks();
const two = (value) => Math.round(value * 100) / 100;
const flat = {
  low_cut_hz: 0, high_cut_hz: 0, lows_db: 0, lows_hz: 160, body_db: 0, body_hz: 300, body_q: 0.9, middle_db: 0, middle_hz: 900, middle_q: 0.9,
  upper_db: 0, upper_hz: 2800, upper_q: 0.9, presence_db: 0, presence_hz: 4500,
};
same("a bell has its gain in the middle", two(bandDb("bell", 1, 6, 0.9)), 6);
same("and none far away", two(bandDb("bell", 100, 6, 0.9)), 0);
same("a shelf has half of it at its corner", [two(bandDb("low shelf", 1, -6)), two(bandDb("high shelf", 1, 4))], [-3, 2]);
same("and all of it beyond", [two(bandDb("low shelf", 0.01, -6)), two(bandDb("high shelf", 100, 4))], [-6, 4]);
same("a recipe that does nothing is flat", [50, 500, 5000].map((hz) => toneDb(flat, hz)), [0, 0, 0]);
same("cuts take 3 dB at their corner", [two(toneDb({ ...flat, low_cut_hz: 80 }, 80)), two(toneDb({ ...flat, high_cut_hz: 9000 }, 9000))], [-3.01, -3.01]);
same("places and frequencies go both ways", [100, 1000, 8000].map((hz) => Math.round(hzOfX(xOfHz(hz, 900), 900))), [100, 1000, 8000]);
same("and gains", [-12, 0, 6].map((db) => two(dbOfY(yOfDb(db, 170), 170))), [-12, 0, 6]);
same("a curve hangs by its mean", hung([50, 200, 400], [9, 4, 6]), [4, -1, 1]);
const bell = { name: "body", kind: "bell" };
same("an arrow raises a handle", stepped(flat, bell, "ArrowUp", false), { body_db: 0.5 });
same("or moves it", stepped(flat, bell, "ArrowRight", false), { body_hz: 320 });
same("or narrows it", stepped(flat, bell, "ArrowDown", true), { body_q: 0.8 });
same("no further than its limits", stepped({ ...flat, body_db: 12 }, bell, "ArrowUp", false), { body_db: 12 });
same("other keys are left alone", stepped(flat, bell, "x", false), null);
same("frequencies go in steps", [83, 457, 2210, 9460].map(roundHz), [85, 460, 2200, 9500]);
const bytes = new Uint8Array(4000);
bytes.set([200, 0, 204], 0);
bytes.set([196, 196, 196], 800);
bytes.set([128, 128, 140], 1600);
bytes.set([8, 12, 0], 2400);
const out = {};
readColumns(bytes, 0, 3, out);
same("columns are read as what they tell", out, { before: -19.5, after: -21, level: 1, compressor: 3, sibilance: 0 });
export default wrong;
