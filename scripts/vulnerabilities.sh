#!/usr/bin/env bash
# Looks for known vulnerabilities in what we are built of: Go modules and the Go
# library by what of them our code reaches, npm packages by their versions. What the
# data cannot be reached for is said, and is no failure; a finding is one.
set -uo pipefail
cd "$(dirname "$0")/.."
found=0

go_said=$(go tool govulncheck ${GOVULNDB:+-db "$GOVULNDB"} "${@:-./...}" 2>&1)
case $?,$go_said in
  0,*) echo "Go: no known vulnerability is reached by our code" ;;
  3,*) printf '%s\n' "$go_said" "Go: known vulnerabilities are reached by our code; update what is named above"; found=1 ;;
  *"fetching vulnerabilities"* | *"creating client"*) echo "Go: NOT LOOKED AT, the data on vulnerabilities cannot be reached" ;;
  *) printf '%s\n' "$go_said" "Go: looking for vulnerabilities failed"; found=1 ;;
esac

npm_said=$(cd console && npm audit --json --loglevel=silent 2>/dev/null)
if grep -q '"auditReportVersion"' <<<"$npm_said"; then
  count=$(node -e 'console.log(JSON.parse(require("fs").readFileSync(0, "utf8")).metadata.vulnerabilities.total)' <<<"$npm_said")
  if [[ $count == 0 ]]; then
    echo "npm: no package has a known vulnerability"
  else
    (cd console && npm audit --loglevel=silent)
    echo "npm: $count known vulnerabilities; update what is named above"
    found=1
  fi
else
  echo "npm: NOT LOOKED AT, the data on vulnerabilities cannot be reached"
fi
exit $found
