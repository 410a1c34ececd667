#!/bin/bash
# Fetches the current release of an edition, verifies it as minisign does, and
# lists what it takes off. Public: needs no token.
set -euo pipefail
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
cd "$folder"
for file in r/brannock/lyra-5/short-loan.json r/brannock/lyra-5/short-loan.json.minisig minisign.pub; do
	curl -fsSO "$ROSTER/$file"
done
minisign -Vqm short-loan.json -p minisign.pub
jq -r '.steps[] | select(.kind == "remove") | [.package, .method] | @tsv' short-loan.json
