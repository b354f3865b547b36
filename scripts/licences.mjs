// Writes ui/static/licences.txt: the licences of all that ships in the binary, with
// their texts. Fails where one is unknown, or forbids or limits commercial use. With
// --check it only compares. It needs a built interface, which says what is in it.
import { execFileSync } from "node:child_process";
import { existsSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

const top = join(dirname(fileURLToPath(import.meta.url)), "..");
const target = join(top, "ui/static/licences.txt");

// By words that stand in the texts; the first that fits.
const known = [
  ["Apache-2.0", /Apache License,? Version 2\.0/],
  ["MPL-2.0", /Mozilla Public License,? (Version|version) 2\.0/],
  ["OFL-1.1", /SIL OPEN FONT LICENSE Version 1\.1/i],
  [
    "ISC",
    /Permission to use, copy, modify, and(\/or)? distribute this software for any purpose with or without fee/,
  ],
  [
    "MIT",
    /Permission is hereby granted, free of charge, to any person obtaining a copy/,
  ],
  [
    "BSD-3-Clause",
    /Redistribution and use in source and binary forms.*(Neither the name|may not be used to endorse)/,
  ],
  ["BSD-2-Clause", /Redistribution and use in source and binary forms/],
  [
    "Unlicense",
    /This is free and unencumbered software released into the public domain/,
  ],
  ["CC0-1.0", /CC0 1\.0 Universal/],
];

/** The licence of what lies in a folder: its name and its text. */
function licence(dir, what) {
  const file = readdirSync(dir).find((name) =>
    /^(licen[cs]e|copying|unlicense)(\.(md|txt|mit|apache2?))?$/i.test(name),
  );
  if (!file) throw new Error(`${what} has no licence in ${dir}`);
  const text = readFileSync(join(dir, file), "utf8").replace(/\r/g, "").trim();
  const name = known.find(([, words]) =>
    words.test(text.replace(/\s+/g, " ")),
  )?.[0];
  if (!name)
    throw new Error(
      `the licence of ${what} is not one that may ship: ${text.slice(0, 120)}`,
    );
  return { name, text };
}

function goModules() {
  const template =
    "{{with .Module}}{{if not .Main}}{{.Path}} {{.Version}} {{.Dir}}{{end}}{{end}}";
  const out = execFileSync(
    "go",
    ["list", "-deps", "-f", template, "./cmd/aftergust"],
    { cwd: top, encoding: "utf8" },
  );
  const root = execFileSync("go", ["env", "GOROOT"], {
    encoding: "utf8",
  }).trim();
  const modules = [...new Set(out.split("\n").filter(Boolean))].sort().map((line) => {
    const [path, version, dir] = line.split(" ");
    return { what: `${path} ${version}`, dir };
  });
  return [
    {
      what: "the Go standard library",
      dir: existsSync(join(root, "LICENSE")) ? root : dirname(root),
    },
    ...modules,
  ];
}

function packages() {
  const shipped = JSON.parse(
    readFileSync(join(top, "ui/.svelte-kit/shipped.json"), "utf8"),
  );
  // Of Tailwind its styles are in it, which come from no file of their own.
  return [...shipped, "tailwindcss"].map((name) => {
    const dir = join(top, "ui/node_modules", name);
    return {
      what: `${name} ${JSON.parse(readFileSync(join(dir, "package.json"), "utf8")).version}`,
      dir,
    };
  });
}

const byText = new Map();
for (const { what, dir } of [...goModules(), ...packages()]) {
  const { name, text } = licence(dir, what);
  const group = byText.get(text) ?? { name, all: [] };
  group.all.push(what);
  byText.set(text, group);
}
const groups = [...byText.entries()].sort(([, a], [, b]) =>
  a.name + a.all[0] < b.name + b.all[0] ? -1 : 1,
);
const line = "-".repeat(72);
const out = [
  "Aftergust is under the Apache License, version 2.0. With it ship, under licences of",
  "their own:",
  "",
  ...groups
    .flatMap(([, g]) => g.all.map((what) => `${g.name.padEnd(14)}${what}`))
    .sort(),
  ...groups.flatMap(([text, g]) => ["", line, ...g.all, line, "", text]),
  "",
].join("\n");
if (!process.argv.includes("--check")) writeFileSync(target, out);
else if (!existsSync(target) || readFileSync(target, "utf8") !== out) {
  console.error("ui/static/licences.txt is stale: run make licences");
  process.exit(1);
}
