// Collects what differs from what it should be.

export function checks() {
  const wrong = [];
  return {
    wrong,
    same(name, got, wanted) {
      const [one, other] = [JSON.stringify(got), JSON.stringify(wanted)];
      if (one !== other) wrong.push(`${name}: ${one} instead of ${other}`);
    },
  };
}
