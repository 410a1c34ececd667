#!/bin/bash
# What docs/operations.md tells in words, done from a bare Debian on: install,
# set up, sign in, capture, publish, save, restore elsewhere, upgrade.
# scripts/install runs it in a tree of its own; it needs root, and packages in
# /packages: roster.deb, and roster-next.deb for the upgrade.
set -euo pipefail

step() { printf '\n== %s\n' "$*"; }
die() { printf 'FAILED: %s\n' "$*" >&2; exit 1; }
roster_user=(setpriv --reuid=roster --regid=roster --init-groups env -i "PATH=$PATH" HOME=/var/lib/roster)
as_roster() { "${roster_user[@]}" "$@"; }

# serve NAME ADDRESS [SETTING...]: a service without systemd, started in the
# background and ended by its id.
declare -A running=()
serve() {
	local name=$1 address=$2
	shift 2
	"${roster_user[@]}" "$@" roster serve >>"/var/log/roster-$name.log" 2>&1 &
	running[$name]=$!
	for _ in $(seq 600); do
		curl -fsS "http://$address/readyz" >/dev/null 2>&1 && return
		kill -0 "${running[$name]}" 2>/dev/null || break
		sleep 0.1
	done
	cat "/var/log/roster-$name.log" >&2
	die "$name does not serve"
}
stop() { kill "${running[$1]}"; wait "${running[$1]}" || true; }
last() { kill "${running[@]}" 2>/dev/null || true; }
trap last EXIT

# api PERSON METHOD PATH [BODY]: asks as somebody who has signed in.
server=http://127.0.0.1:8420
api() {
	local answer status
	answer=$(curl -sS -b "/root/$1.cookies" -c "/root/$1.cookies" -X "$2" -w '\n%{http_code}' -H 'Content-Type: application/json' \
		${revision:+-H "If-Match: \"$revision\""} ${4:+--data "$4"} "$server/api/v1/$3")
	status=${answer##*$'\n'}
	[ "$status" -lt 300 ] || die "$1: $2 $3 answers $answer"
	printf '%s' "${answer%$'\n'*}"
}
join() { # PERSON TOKEN
	api "$1" POST join "{\"token\":\"$2\",\"login\":\"$1\",\"name\":\"$1\",\"password\":\"a rather long password\"}" >/dev/null
}

step "install"
dpkg -i /packages/roster.deb
pg_ctlcluster 15 main start

step "set up"
roster setup --public-url "$server" | tee /root/setup
token=$(sed -n 's/.*join#//p' /root/setup)
[ -n "$token" ] || die "setup tells no link"
roster setup >/root/again
grep -q "the database roster is there" /root/again || die "setup can't be repeated"
token=$(sed -n 's/.*join#//p' /root/again) # the first link has ended
[ "$(stat -c %U:%a /var/lib/roster/secret)" = roster:600 ] || die "the secret is not the service's alone"
serve first 127.0.0.1:8420

step "sign in, and let others in"
join keeper "$token"
for person in ada ben; do
	join $person "$(api keeper POST invitations '{"role":"maintainer","note":""}' | jq -r .path | sed 's/.*#//')"
done

step "capture a phone"
roster phone files /tmp/files >/dev/null
roster phone --listen 127.0.0.1:5701 --hand 127.0.0.1:5801 >/var/log/phone.log 2>&1 &
running[phone]=$!
for _ in $(seq 100); do grep -q "listens on" /var/log/phone.log && break; sleep 0.1; done
adb connect 127.0.0.1:5701
roster capture --adb 127.0.0.1:5037 -o /root/lyra.json
adb kill-server
capture=$(curl -fsS -b /root/ada.cookies -F files=@/root/lyra.json $server/api/v1/captures | tee /root/capture.json | jq -r '.id // .items[0].id')
[ "$capture" != null ] || die "the capture was not taken: $(cat /root/capture.json)"

step "say what may go, and have it reviewed"
# The first changes of somebody need two who decide.
loose='{"package":"com.brannock.tips","field":"load","scope":{"kind":"everywhere"},"value":{"load":"loose"},"reason":"Only tips go."}'
edit=$(api ada POST tray/edits "{\"edits\":[$loose]}" | jq -r '.items[0]')
change=$(api ada POST changes "{\"title\":\"Tips are loose\",\"edits\":[\"$edit\"]}" | jq -r .id)
revision=1 api ben POST "changes/$change/decisions" "{\"decisions\":[{\"edit\":\"$edit\",\"verdict\":\"accepted\"}]}" >/dev/null
revision=2 api keeper POST "changes/$change/decisions" "{\"decisions\":[{\"edit\":\"$edit\",\"verdict\":\"accepted\"}]}" >/dev/null

step "publish"
profile=$(api ada POST profiles '{"maker":"brannock","model":"lyra-5","name":"Short loan","purpose":"For phones that are lent."}' | jq -r .id)
pin='{"package":"com.brannock.tips","goes":true,"reason":"Nobody reads them."}'
rules="{\"method\":\"remove-for-user\",\"highestLoad\":\"loose\",\"highestCeiling\":0.3,\"pins\":[$pin]}"
revision=1 api ada PUT "profiles/$profile/rules" "{\"purpose\":\"For phones that are lent.\",\"rules\":$rules}" >/dev/null
asked=$(revision=2 api ada POST "profiles/$profile/publications" '{"changes":["First."],"words":""}' | jq -r .id)
release=$(api ben POST "publications/$asked/decision" '{"verdict":"published"}' | jq -r .path)
curl -fsS "$server$release.json" -o /root/release.json
curl -fsS "$server$release.json.minisig" -o /root/release.json.minisig
curl -fsS "$server/minisign.pub" -o /root/minisign.pub
key=$(tail -n 1 /root/minisign.pub)
(cd /root && roster verify release.json --key "$key" && minisign -Vm release.json -P "$key")

step "save"
head=$(as_roster roster audit | grep -o '^[0-9a-f]\{64\}$')
as_roster roster backup /var/backups/roster --check --keep 14

step "restore elsewhere: another PostgreSQL, another secret, another folder"
pg_createcluster 15 elsewhere --port 5433 >/dev/null
pg_ctlcluster 15 elsewhere start
elsewhere=(ROSTER_CONFIG= "ROSTER_DATABASE_URL=postgres:///roster?host=/run/postgresql&port=5433&user=roster"
	ROSTER_SECRET_FILE=/var/lib/roster/elsewhere/secret ROSTER_BACKUPS=/var/lib/roster/elsewhere/phones ROSTER_LISTEN=127.0.0.1:8430 ROSTER_ADB= "ROSTER_PUBLIC_URL=$server")
env "${elsewhere[@]}" roster setup
as_roster "${elsewhere[@]}" roster restore /var/backups/roster
as_roster "${elsewhere[@]}" roster audit --head "$head" >/dev/null
serve elsewhere 127.0.0.1:8430 "${elsewhere[@]}"
curl -fsS "http://127.0.0.1:8430$release.json" | cmp - /root/release.json
server=http://127.0.0.1:8430 api keeper GET session | jq -e '.person.role == "keeper"' >/dev/null || die "who was signed in is no longer"
# It can sign: its secret opens its key.
asked=$(server=http://127.0.0.1:8430 revision=3 api ada POST "profiles/$profile/publications" '{"changes":["Elsewhere."],"words":""}' | jq -r .id)
server=http://127.0.0.1:8430 api ben POST "publications/$asked/decision" '{"verdict":"published"}' >/dev/null
stop elsewhere

step "upgrade"
echo "# a keeper's own line" >>/etc/roster/roster.yaml
before=$(roster version)
stop first
dpkg -i /packages/roster-next.deb
[ "$(roster version)" != "$before" ] || die "the program is the old one"
grep -q "a keeper's own line" /etc/roster/roster.yaml || die "the settings are not the keeper's"
serve next 127.0.0.1:8420
api keeper GET session | jq -e '.person.role == "keeper"' >/dev/null || die "who was signed in is no longer"
curl -fsS "$server$release.json" | cmp - /root/release.json
as_roster roster audit --head "$head" >/dev/null
stop next

step "take it off"
dpkg --purge roster
if [ ! -f /var/lib/roster/secret ] || [ ! -d /var/backups/roster ]; then die "purging took what nobody can make again"; fi
step "all of it works"
