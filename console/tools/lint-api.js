// Holds the API's description against the OpenAPI standard's rules.
import { readFileSync } from "node:fs";
import { createConfig, lintFromString } from "@redocly/openapi-core";

const file = process.argv[2];
const config = await createConfig({
  extends: ["recommended-strict"],
  rules: {
    // Problems stand under default, which is every other status.
    "operation-4xx-response": "off",
    // The events of streams are named in the description's prose.
    "no-unused-components": "off",
  },
});
const problems = await lintFromString({ source: readFileSync(file, "utf8"), absoluteRef: file, config });
for (const p of problems)
  console.error(`${file}: ${p.location?.[0]?.pointer ?? ""}: ${p.message} (${p.ruleId})`);
process.exit(problems.length ? 1 : 0);
