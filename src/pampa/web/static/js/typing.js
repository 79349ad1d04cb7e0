// A field shows what is known, `x-shows`, but not over what somebody is typing into it: lists are read anew at any time.

export function fieldsKeepTyping(Alpine) {
  Alpine.directive("shows", (field, { expression }, { evaluateLater, effect }) => {
    const read = evaluateLater(expression);
    let shown = "";
    field.addEventListener("change", () => { shown = field.value; }); // what was handed over is typed no more
    effect(() => read((value) => {
      const known = String(value ?? "");
      if (document.activeElement !== field || field.value === shown) field.value = known;
      shown = known;
    }));
  });
}
