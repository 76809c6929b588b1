// What the Khronos glTF validator says of a file: severity, code and place of each thing it finds.
import { readFileSync } from "node:fs";
import { createRequire } from "node:module";

const validator = createRequire(import.meta.url)("gltf-validator");
const report = await validator.validateBytes(new Uint8Array(readFileSync(process.argv[2])));
process.stdout.write(JSON.stringify({ ...report.info, messages: report.issues.messages }));
