#!/bin/bash
# What may go from a model, and how surely: each Loose package with its standing
# and its ceiling, the surest first. Needs a token that may read.
set -euo pipefail
curl -fsS -H "Authorization: Bearer $ROSTER_TOKEN" --get "$ROSTER/api/v1/ledger" \
	-d maker=brannock -d model=lyra-5 -d group=none -d sort=ceiling --data-urlencode 'q=load:loose' |
	jq -r '.rows[] | [.name, .standing, "at most \(.ceiling * 100 | ceil) %"] | @tsv'
