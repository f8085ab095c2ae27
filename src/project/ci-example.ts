/** The file of a run on a CI machine, as docs/ci.md shows it; `init --ci` writes it. */
export const ciExample = `#!/bin/sh
# Judges the rules on every page, writes three reports, and builds what ships if nothing is wrong.
set -eu
npm ci                                             # local-needle is in package.json
npm run build-site --if-present                    # your own build, into the folder that local-needle.yaml names
mkdir -p reports
status=0
npx local-needle check --format junit --out reports/local-needle.xml || status=$?
npx local-needle check --format sarif --out reports/local-needle.sarif --fail-on never
npx local-needle check --format html --out reports/local-needle.html --fail-on never
[ "$status" -eq 0 ] || exit "$status"              # 1: findings; 2: invalid input; 3: files cannot be read
npx local-needle build --hashed --minify --out dist/local-needle
# Pictures of what changes, where Chromium is installed.
if command -v chromium > /dev/null; then npx local-needle before-after --out reports/before-after; fi
`;
