// Numbers that the server's core has and the page reckons with too: told with every page, and nowhere else.

const { constants } = JSON.parse(document.getElementById("page-data").textContent);

export const RATE = constants.rate; // frames a second of every place and length
export const CELLS = constants.cells; // frames of a cell at each level of the waveform pyramid, the finest first
export const COMMON_LEVEL = constants.common_level; // LUFS at which everybody's speech lies in the mix
export const CURVES = constants.curves; // of a voice: frames of a column, columns of a tile, and what its bytes tell
