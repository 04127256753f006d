/**
 * The arrows: which place may import what (docs/architecture.md). Checked by `npm run lint`, types included: a circle of types is one too.
 * Only what is named in `allowed` may be imported; a circle of files is refused anywhere.
 */
const core = [
  "markup",
  "messages",
  "table",
  "postgres",
  "values",
  "findings",
  "condition",
  "controls",
  "rules",
  "settings",
  "page",
  "catalog",
  "log",
  "statements",
  "views",
  "trip",
  "html",
  "json",
  "steps",
  "operations",
];

/** The served pages' own parts; what puts them together stands beside these folders. */
const runtime = ["http", "database", "own", "files", "layout", "log"];

/** Each of a package's folders may import those before it, and nothing after it. */
const inOrder = (place, folders) =>
  folders.map((folder, index) => ({
    name: `${place}-order-${folder}`,
    comment: `packages/${place}/src/${folder} may import only what stands before it: ${folders.slice(0, index).join(", ") || "nothing"}.`,
    severity: "error",
    from: { path: `^packages/${place}/src/${folder}/`, pathNot: "\\.test\\.ts$" },
    to: { path: `^packages/${place}/src/((${[...folders.slice(index + 1), "testing"].join("|")})/|[^/]*$)` },
  }));

/** For each place: what of ours it may import, and which packages it must know nothing of. */
const places = {
  "packages/core": { ours: [], not: ["express", "react", "pg"], node: false },
  "packages/authoring": { ours: ["packages/core"], not: ["express", "react", "pg"], node: false },
  "packages/runtime": { ours: ["packages/core"], not: ["react"], node: true },
  "packages/server": { ours: ["packages/core", "packages/authoring", "packages/runtime"], not: ["react"], node: true },
  "packages/cli": {
    ours: ["packages/core", "packages/authoring", "packages/runtime", "packages/server", "demo"],
    not: ["react"],
    node: true,
  },
  "packages/workbench": {
    ours: ["packages/core", "packages/authoring", "packages/server/src/api/"],
    not: ["express", "pg"],
    node: false,
  },
  demo: { ours: ["packages/core"], not: ["express", "react"], node: true },
};

const ofPlaces = Object.entries(places).flatMap(([place, { ours, not, node }]) => {
  const from = { path: `^${place}/src/`, pathNot: "(\\.test\\.tsx?$|/testing/)" };
  const others = [place, ...ours].map((each) => `^${each}`);
  return [
    {
      name: `${place}-arrows`,
      comment: `${place} may import of ours only: ${ours.join(", ") || "nothing"}.`,
      severity: "error",
      from,
      to: { path: "^(packages|demo|testing|bench|faults|e2e)/", pathNot: others },
    },
    {
      name: `${place}-knows-nothing-of`,
      severity: "error",
      from,
      to: { path: `^(node_modules/)?(${not.join("|")})(/|$)` },
    },
    ...(node ? [] : [{ name: `${place}-no-node`, severity: "error", from, to: { dependencyTypes: ["core"] } }]),
  ];
});

export default {
  forbidden: [
    { name: "no-circle", severity: "error", from: {}, to: { circular: true } },
    {
      name: "api-types-only",
      comment: "Of the server the workbench takes types only.",
      severity: "error",
      from: { path: "^packages/workbench/" },
      to: { path: "^packages/server/", dependencyTypesNot: ["type-only"] },
    },
    {
      name: "core-inside",
      comment:
        "Beside authoring, everybody takes core by its index; of addresses, which each command looks at, the command line takes what loads nothing else.",
      severity: "error",
      from: { path: "^(packages|demo|bench|faults|e2e)/", pathNot: ["^packages/(core|authoring)/", "\\.test\\.tsx?$"] },
      to: { path: "^packages/core/src/(?!index\\.ts$|postgres/places\\.ts$)" },
    },
    ...inOrder("core", core),
    ...inOrder("runtime", runtime),
    ...ofPlaces,
  ],
  options: {
    doNotFollow: { path: "node_modules" },
    exclude: { path: "/dist/" },
    tsPreCompilationDeps: true,
    parser: "swc",
    enhancedResolveOptions: {
      exportsFields: ["exports"],
      conditionNames: ["quill-source", "import", "node", "default"],
      extensions: [".ts", ".tsx", ".js", ".mjs"],
    },
  },
};
