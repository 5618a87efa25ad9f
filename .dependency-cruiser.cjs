/** No file imports itself at run time by way of others. Types may: they are gone by then. */
module.exports = {
  forbidden: [
    {
      name: "no-cycle",
      severity: "error",
      comment: "Give what is needed as an argument, or put what both need into a file of its own.",
      // An expression is made of expressions: its compiler may call itself by way of its parts.
      from: { pathNot: "^core/expressions/" },
      to: { circular: true, viaOnly: { dependencyTypesNot: ["type-only"] } },
    },
  ],
  options: {
    doNotFollow: { path: "node_modules|/dist/" },
    exclude: { path: "node_modules|/dist/|\\.test\\.|test\\.kit" },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: "tsconfig.base.json" },
    enhancedResolveOptions: { extensions: [".ts", ".vue", ".js"] },
  },
};
