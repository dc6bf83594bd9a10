// Prints the errors that the Khronos glTF validator finds in a file, as JSON.
import { readFileSync } from "node:fs";
import validator from "gltf-validator";
const report = await validator.validateBytes(new Uint8Array(readFileSync(process.argv[2])), { maxIssues: 0 });
const errors = report.issues.messages.filter((m) => m.severity === 0);
console.log(
  JSON.stringify({
    errors: report.issues.numErrors,
    warnings: report.issues.numWarnings,
    messages: errors.slice(0, 20),
  }),
);
