// Loaded into Playwright's driver for Firefox: it asks every page for an override of media features,
// a command that this Firefox doesn't have yet. Asked for its status instead, it answers.
const Module = require("node:module");
const compile = Module.prototype._compile;
Module.prototype._compile = function (source, file, ...rest) {
  const isDriver = file.endsWith("coreBundle.js");
  const known = isDriver
    ? source.replaceAll('"emulation.setMediaFeaturesOverride"', '"session.status"')
    : source;
  return compile.call(this, known, file, ...rest);
};
