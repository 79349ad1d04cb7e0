// Checks the types that JSDoc tells; gives what does not fit, a line each.

window.check = ({ sources, libraries }) => {
  const files = { ...libraries, ...sources };
  const host = {
    fileExists: (name) => name.slice(1) in files,
    readFile: (name) => files[name.slice(1)],
    getSourceFile: (name, target) => name.slice(1) in files ? ts.createSourceFile(name, files[name.slice(1)], target, true) : undefined,
    getDefaultLibFileName: () => "/lib.es2023.d.ts",
    getDefaultLibLocation: () => "/",
    getCurrentDirectory: () => "/",
    getCanonicalFileName: (name) => name,
    useCaseSensitiveFileNames: () => true,
    getNewLine: () => "\n",
    writeFile: () => {},
    directoryExists: () => true,
    getDirectories: () => [],
  };
  const options = {
    allowJs: true, checkJs: true, noEmit: true, noImplicitThis: true, noImplicitAny: true, noUnusedLocals: true, noUnusedParameters: true,
    useUnknownInCatchVariables: false, target: ts.ScriptTarget.ES2022, module: ts.ModuleKind.ES2022,
    moduleResolution: ts.ModuleResolutionKind.Bundler, lib: ["lib.es2023.d.ts", "lib.dom.d.ts", "lib.dom.iterable.d.ts"], types: [],
  };
  const program = ts.createProgram(Object.keys(sources).map((name) => `/${name}`), options, host);
  const untyped = (code) => code >= 7000 && code < 8000; // nobody has to say what a parameter is
  return ts.getPreEmitDiagnostics(program).filter(({ code }) => !untyped(code)).map(({ file, start, messageText }) => {
    const line = file ? file.getLineAndCharacterOfPosition(start).line + 1 : 0;
    return `${file?.fileName}:${line} ${ts.flattenDiagnosticMessageText(messageText, " ")}`;
  });
};
