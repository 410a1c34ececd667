#!/bin/bash
# Hears at once when something has changed, and says what: as server-sent events.
# It ends after SECONDS_LONG; programs go on for ever, and come back when the
# connection ends. Needs a token that may read.
set -euo pipefail
curl -fsSN --max-time "${SECONDS_LONG:-10}" -H "Authorization: Bearer $ROSTER_TOKEN" "$ROSTER/api/v1/events" |
	sed -un 's/^data: //p' || [ $? = 28 ] # curl's word for the time being up
