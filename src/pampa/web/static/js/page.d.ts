// What the page of an episode consists of, for the checker of types: its own members, and its stores.

import type { forGood } from "./for-good.js";
import type { nextStep } from "./next-step.js";
import type { patterns } from "./patterns.js";
import type { several } from "./several.js";
import type { episode } from "./shared-episode.js";
import type { jobs } from "./shared-jobs.js";
import type { loudness } from "./shared-loudness.js";
import type { picture } from "./shared-picture.js";
import type { selection } from "./shared-selection.js";
import type { transport } from "./shared-transport.js";
import type { music } from "./stage-balance-music.js";
import type { peaks } from "./stage-balance-peaks.js";
import type { recipes } from "./stage-balance-recipes.js";
import type { tone } from "./stage-balance-tone.js";
import type { balance } from "./stage-balance.js";
import type { findRun } from "./stage-find-run.js";
import type { finds } from "./stage-finds.js";
import type { gather } from "./stage-gather.js";
import type { hand } from "./stage-hand.js";
import type { history } from "./stage-history.js";
import type { larder } from "./stage-larder.js";
import type { lineUp } from "./stage-line-up.js";
import type { mend } from "./stage-mend.js";
import type { pickUp } from "./stage-pick-up.js";
import type { places } from "./stage-places.js";
import type { seams } from "./stage-seams.js";
import type { compare } from "./stage-compare.js";
import type { lastLook } from "./stage-last-look.js";
import type { listeners } from "./stage-listeners.js";
import type { publish } from "./stage-publish.js";
import type { straight } from "./stage-straight.js";
import type { sendOut } from "./stage-send-out.js";

export interface Stores {
  // shared by all stages
  episode: ReturnType<typeof episode>;
  selection: ReturnType<typeof selection>;
  transport: ReturnType<typeof transport>;
  loudness: ReturnType<typeof loudness>;
  picture: ReturnType<typeof picture>;
  jobs: ReturnType<typeof jobs>;
  next: ReturnType<typeof nextStep>;
  // Gather
  gather: ReturnType<typeof gather>;
  several: ReturnType<typeof several>;
  patterns: ReturnType<typeof patterns>;
  larder: ReturnType<typeof larder>;
  pickUp: ReturnType<typeof pickUp>;
  forGood: ReturnType<typeof forGood>;
  // Line up, Mend
  lineUp: ReturnType<typeof lineUp>;
  mend: ReturnType<typeof mend>;
  // Prune
  hand: ReturnType<typeof hand>;
  seams: ReturnType<typeof seams>;
  places: ReturnType<typeof places>;
  history: ReturnType<typeof history>;
  finds: ReturnType<typeof finds>;
  findRun: ReturnType<typeof findRun>;
  // Balance, Send out
  balance: ReturnType<typeof balance>;
  tone: ReturnType<typeof tone>;
  recipes: ReturnType<typeof recipes>;
  peaks: ReturnType<typeof peaks>;
  music: ReturnType<typeof music>;
  sendOut: ReturnType<typeof sendOut>;
  compare: ReturnType<typeof compare>;
  lastLook: ReturnType<typeof lastLook>;
  listeners: ReturnType<typeof listeners>;
  publish: ReturnType<typeof publish>;
  straight: ReturnType<typeof straight>;
}

/** What any store may say or ask of the page itself. */
export interface Itself {
  stage: string;
  settled: boolean;
  made: string[];
  notice: string;
  problem: string;
  letters: boolean;
  readonly listedKeys: object[];
  readonly showsSheet: boolean;
  readonly facts: Record<string, string>;
  init(): void;
  say(text: string): void;
  shutProblem(): void;
  attempt<T>(work: () => T | Promise<T>): Promise<T | null>;
  tell(error: Error & { status?: number }): void;
  clock(frames: number): string;
  shortClock(frames: number): string;
  lengthOf(frames: number): string;
  level(value: number | null): string;
  percent(share: number): string;
  pressed(event: KeyboardEvent): void;
  act(action: string): void;
  toggleHelp(): void;
  setLetters(event: { target: HTMLInputElement }): void;
  go(stage: string): void;
  arrive(stage: string): void;
  make(stage: string): void;
  wake(stage: string): void;
  wakeAll(): void;
  isMade(stage: string): boolean;
  isStage(stage: string): boolean;
  factOf(stage: string): string;
  toggleTheme(): void;
  redrawAll(): void;
}

export interface Page extends Itself, Stores {}

declare global {
  interface Window {
    Alpine: any;
  }
}
