// Prints the errors that the Khronos glTF validator finds in files, each after its file's name; nothing if there are none.
const fs = require('fs');
const path = require('path');
const validator = require('gltf-validator');

(async () => {
    for (const file of process.argv.slice(2)) {
        const report = await validator.validateBytes(new Uint8Array(fs.readFileSync(file)), {maxIssues: 0});
        for (const issue of report.issues.messages) {
            if (issue.severity === 0) console.log(`${path.basename(file)}: ${issue.code} ${issue.pointer} ${issue.message}`);
        }
    }
})();
