// Prints the errors that the Khronos glTF validator finds in a file; nothing where there are none.
const fs = require('fs');
const validator = require('gltf-validator');

validator.validateBytes(new Uint8Array(fs.readFileSync(process.argv[2]))).then((report) => {
    for (const issue of report.issues.messages) {
        if (issue.severity === 0) console.log(`${issue.code} ${issue.pointer} ${issue.message}`);
    }
});
