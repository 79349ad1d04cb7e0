// Put the parts of a page together: getters stay getters, which spreading would read once and freeze.

export function compose(...parts) {
  const whole = {};
  for (const part of parts) {
    const names = Object.keys(part).filter((name) => name in whole);
    if (names.length) throw new Error(`Two parts of the page both have ${names.join(", ")}.`);
    Object.defineProperties(whole, Object.getOwnPropertyDescriptors(part));
  }
  return whole;
}
