#!/bin/bash
# Sends a change: one description, by the package's name. The key makes it the
# same change however often it is sent, so that whoever gets no answer may try
# again. Needs a token that may send.
set -euo pipefail
curl -fsS -H "Authorization: Bearer $ROSTER_TOKEN" -H 'Content-Type: application/json' \
	-H "Idempotency-Key: ${KEY:-my-inventory-2026-11-30}" "$ROSTER/api/v1/changes/whole" --data @- <<'JSON' | jq -r .id
{
  "format": "roster-edits/1",
  "title": "What our inventory knows of the clock",
  "words": "Sent by a program.",
  "edits": [
    {"package": "com.brannock.clock", "field": "description", "value": "Alarms, timers and a world clock.",
     "scope": {"kind": "everywhere"}, "reason": "from our inventory"}
  ]
}
JSON
