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
    {
      name: "models-stay-in-the-store",
      severity: "error",
      comment:
        "Ask a store for what you need: rows are models inside service/store only, and plain records outside.",
      from: { path: "^service/", pathNot: "^service/store/|^service/service\\.ts$" },
      to: {
        path: "^service/store/(models|api-models)\\.ts$|/sequelize/",
        dependencyTypesNot: ["type-only"],
      },
    },
    {
      name: "sql-stays-in-the-store",
      severity: "error",
      comment:
        "Only what works on whole database files (a backup, the look for damage) opens one besides the store.",
      from: { path: "^service/", pathNot: "^service/(store|upkeep)/|^service/service\\.ts$" },
      to: { path: "^service/store/(database|statements)\\.ts$" },
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
