// Put the parts of a page together: getters stay getters, which spreading would read once and freeze.

export function compose(...parts) {
  const whole = {};
  for (const part of parts) Object.defineProperties(whole, Object.getOwnPropertyDescriptors(part));
  return whole;
}
