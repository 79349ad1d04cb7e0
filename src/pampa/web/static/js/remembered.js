// What somebody chose on this machine, kept by the browser.

export const remembered = (key, fallback) => JSON.parse(localStorage.getItem(`pampa-${key}`) ?? JSON.stringify(fallback));
export const remember = (key, value) => localStorage.setItem(`pampa-${key}`, JSON.stringify(value));
