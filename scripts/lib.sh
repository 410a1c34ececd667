# Functions that the other scripts share; it is sourced, not run.
# shellcheck shell=bash

say() { printf '\033[1m%s\033[0m\n' "$*" >&2; }
die() { printf 'FAILED: %s\n' "$*" >&2; exit 1; }

top=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
run=$top/.run
cd "$top" || exit 1
PATH=$PATH:/usr/sbin # where Debian has servers, and not everybody looks

# What this machine runs for real says nothing about what is built here.
export ROSTER_CONFIG=

# need_packages PROGRAM=PACKAGE...: installs Debian packages whose program is
# missing. With --lean first, without what they only recommend.
need_packages() {
	local want=() lean=() pair program
	if [ "$1" = --lean ]; then
		lean=(--no-install-recommends)
		shift
	fi
	for pair in "$@"; do
		program=${pair%%=*}
		[ -n "$(find_program "$program")" ] || want+=("${pair#*=}")
	done
	[ ${#want[@]} -eq 0 ] && return
	say "installing ${want[*]}"
	local sudo=()
	if [ "$(id -u)" != 0 ]; then
		command -v sudo >/dev/null || die "these Debian packages are missing and sudo is not there to install them: ${want[*]}"
		sudo=(sudo)
	fi
	"${sudo[@]}" apt-get update -q >"$run/apt.log" 2>&1 || die "apt-get update; see $run/apt.log"
	# Servers among them are not started: whoever needs one starts its own.
	"${sudo[@]}" env DEBIAN_FRONTEND=noninteractive RUNLEVEL=1 apt-get install -y -q "${lean[@]}" "${want[@]}" \
		>>"$run/apt.log" 2>&1 || die "apt-get install ${want[*]}; see $run/apt.log"
}

# find_program NAME: its path; initdb lies in a folder of its own on Debian.
find_program() {
	if [ "$1" = initdb ]; then
		find /usr/lib/postgresql -name initdb 2>/dev/null | sort -V | tail -n 1
	else
		command -v "$1" || true
	fi
}

# node_modules FOLDER: installs what its package-lock.json names, once.
node_modules() {
	local stamp=$1/node_modules/.installed
	if ! cmp -s "$1/package-lock.json" "$stamp"; then
		say "installing the Node packages of $1"
		(cd "$1" && PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD=1 npm ci --no-audit --no-fund --loglevel=error) >&2 || die "npm ci in $1"
		cp "$1/package-lock.json" "$stamp"
	fi
}

need_go_and_node() {
	command -v go >/dev/null || die "Go is missing: install Go 1.26 or newer"
	command -v node >/dev/null || die "Node.js is missing: install Node.js 20 or newer"
	# The largest of what would be compiled serves a format that nobody asks for.
	# And as it is built to be installed, so that nothing is compiled twice.
	export GOFLAGS="${GOFLAGS:+$GOFLAGS }-tags=nomsgpack -trimpath" CGO_ENABLED=0
}

# go_modules PACKAGE...: fetches and compiles what is built upon, for the race
# detector too as far as PACKAGEs need it, as node_modules does for the front
# end. It takes minutes once, and a moment from then on.
go_modules() {
	local -a modules racing
	go mod download || die "go mod download"
	go -C docs/api/examples/go mod download || die "go mod download"
	mapfile -t modules < <(go list -deps -test ./... | grep -v '^roster\|[. ]test')
	mapfile -t racing < <(go list -deps -test "$@" | grep -v '^roster\|[. ]test')
	say "compiling what is built upon: ${#modules[@]} packages"
	go build "${modules[@]}" || die "compiling what is built upon"
	CGO_ENABLED=1 go build -race "${racing[@]}" || die "compiling what is built upon"
	mapfile -t modules < <(for_browsers go list -deps ./cmd/roster-browser | grep -v '^roster')
	for_browsers go build -trimpath -ldflags='-s -w' "${modules[@]}" || die "compiling what is built upon"
}

# build: the browser application with the bench for browsers, and the program,
# where sources are newer.
build() {
	local program=$run/roster
	node_modules web
	build_browser_bench
	local -a sources=(web/{src,words,index.html,package-lock.json,vite.config.ts,public,generated})
	if [ ! -f web/dist/index.html ] || [ -n "$(find "${sources[@]}" -newer web/dist/index.html -print -quit)" ]; then
		say "building the browser application"
		(cd web && npx vite build --logLevel warn) >&2 || die "building the browser application"
		touch web/dist/.keep
	fi
	say "building the program"
	go build -o "$program" ./cmd/roster || die "building the program"
}

# for_browsers COMMAND...: as for the bench in a browser's worker.
for_browsers() { GOOS=js GOARCH=wasm "$@"; }

# build_browser_bench: what runs in the workers of a browser, with what Go's own
# distribution needs there. Its files change only with what is in them.
build_browser_bench() {
	local made=$run/browser-bench name
	local -a news=() ids=()
	mkdir -p "$made" web/generated
	for name in bench=roster-browser here=roster-here; do
		for_browsers go build -trimpath -buildvcs=false -ldflags='-s -w' -o "$made/${name%=*}.wasm" "./cmd/${name#*=}" || die "building the bench for browsers"
		name=${name%=*}
		if ! cmp -s "$made/$name.wasm" "web/generated/$name.wasm" || [ ! "web/generated/$name.wasm.br" -nt scripts/compress.mjs ]; then
			news+=("$name")
		fi
	done
	[ ${#news[@]} = 0 ] || say "compressing the bench for browsers"
	for name in "${news[@]}"; do
		node scripts/compress.mjs "$made/$name.wasm" "web/generated/$name.wasm.br" &
		ids+=($!)
	done
	for name in "${ids[@]}"; do wait "$name" || die "compressing the bench for browsers"; done
	for name in "${news[@]}"; do cp "$made/$name.wasm" web/generated/; done
	cp "$(go env GOROOT)/lib/wasm/wasm_exec.js" "$made/"
	cmp -s "$made/wasm_exec.js" web/generated/wasm_exec.js || cp "$made/wasm_exec.js" web/generated/
}

# as_postgres: PostgreSQL refuses to run as root, and from a folder that its
# user may not enter.
as_postgres() {
	if [ "$(id -u)" = 0 ]; then
		(cd / && setpriv --reuid=postgres --regid=postgres --clear-groups "$@")
	else
		"$@"
	fi
}

# cluster_in FOLDER: where the cluster of that name really lies. As root that
# is elsewhere when the postgres user can't reach FOLDER.
cluster_in() {
	if [ "$(id -u)" != 0 ] || as_postgres test -x "$(dirname "$1")"; then
		echo "$1"
	else
		echo "/var/tmp/roster-$(printf %s "$1" | cksum | cut -d' ' -f1)"
	fi
}

# start_postgres FOLDER PORT [OPTION...]: a cluster of its own on loopback. PORT
# may be "any". PostgreSQL can't choose one by itself: where the port turns out
# to be somebody else's it is started on another. Sets $database.
# stop_postgres ends it, remove_postgres leaves nothing of it.
start_postgres() {
	local folder port=$2 asked=$2 log=$1.log bin
	folder=$(cluster_in "$1")
	shift 2
	bin=$(dirname "$(find_program initdb)")
	mkdir -p "$folder"
	if [ ! -f "$folder/data/PG_VERSION" ]; then
		[ "$(id -u)" != 0 ] || chown postgres "$folder"
		as_postgres "$bin/initdb" -D "$folder/data" -U roster -A trust -E UTF8 --locale=C.UTF-8 >"$log" 2>&1 || die "initdb; see $log"
	fi
	if as_postgres "$bin/pg_ctl" -D "$folder/data" status >/dev/null 2>&1; then
		port=$(sed -n 4p "$folder/data/postmaster.pid")
	else
		for _ in $(seq 50); do
			# below those that the system hands out by itself
			[ "$port" != any ] || port=$((20000 + RANDOM % 12000))
			rm -f "$folder/postgres.log"
			as_postgres "$bin/pg_ctl" -D "$folder/data" -w -t 120 -l "$folder/postgres.log" \
				-o "-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c shared_buffers=64MB $*" start >>"$log" 2>&1 && break
			grep -q "Address already in use" "$folder/postgres.log" || die "PostgreSQL does not start on port $port; see $folder/postgres.log"
			[ "$port" != "$asked" ] || say "another program listens on port $port; PostgreSQL takes another"
			port=any
		done
		[ "$port" != any ] || die "no port can be had for PostgreSQL"
	fi
	as_postgres "$bin/createdb" -h 127.0.0.1 -p "$port" -U roster roster >>"$log" 2>&1 || grep -q "already exists" "$log" || die "createdb; see $log"
	# shellcheck disable=SC2034 # for the script that sourced this
	database="postgres://roster@127.0.0.1:$port/roster?sslmode=disable"
}

stop_postgres() {
	local bin
	bin=$(dirname "$(find_program initdb)")
	as_postgres "$bin/pg_ctl" -D "$(cluster_in "$1")/data" -m fast stop >/dev/null 2>&1 || true
}

remove_postgres() {
	stop_postgres "$1"
	rm -rf "$(cluster_in "$1")" "$1.log"
}

# at_end FUNCTION: however this script ends, by itself or by a signal, ends, by
# its id, whatever it has started that is still there, and then calls FUNCTION
# with the exit code. A script that has ended well but left something running
# has failed.
at_end() {
	ending=$1
	# Whatever is started from here on inherits this, daemons too.
	ROSTER_STARTED_BY="$0 $$ $(date +%s%N)"
	export ROSTER_STARTED_BY
	trap 'end_script $?' EXIT
	trap 'exit 130' INT
	trap 'exit 143' TERM HUP
}

end_script() {
	local code=$1 name pid
	trap - EXIT
	trap '' INT TERM HUP
	if [ "$code" = 0 ]; then
		for _ in $(seq 100); do # what was just ended may take a moment
			[ -n "$(started)" ] || break
			sleep 0.1
		done
		while read -r pid name; do
			printf 'FAILED: %s (process %s) was left running\n' "$name" "$pid" >&2
			code=1
		done < <(started)
	fi
	end_started
	"$ending" "$code"
	exit "$code"
}

# started: the processes that this script has started, directly or not, and
# that are still there, as "ID NAME". A database cluster is not among them.
started() {
	local folder variable name
	for folder in /proc/[0-9]*; do
		while IFS= read -r -d '' variable; do
			[ "$variable" = "ROSTER_STARTED_BY=$ROSTER_STARTED_BY" ] || continue
			read -r name <"$folder/comm" || continue
			[ "$name" = postgres ] || echo "${folder#/proc/} $name"
		done <"$folder/environ"
	done 2>/dev/null || true
}

end_started() {
	local pid
	for signal in TERM KILL; do
		for _ in $(seq 100); do
			[ -n "$(started)" ] || return 0
			while read -r pid _; do kill "-$signal" "$pid" 2>/dev/null || true; done < <(started)
			sleep 0.1
		done
	done
}

# attend COMMAND...: runs it to its end, as a foreground command would, but so
# that a signal to this script ends the script at once.
attend() {
	"$@" &
	wait $!
}

# As root the cluster runs as postgres, who must be able to come in.
mkdir -p "$run"
chmod 755 "$run"

# wine_prefix: makes Wine ready for tests, once, and names its folder in
# ROSTER_WINE_PREFIX. end_wine ends what of it still runs.
wine_prefix() {
	need_packages --lean wine=wine
	export ROSTER_WINE_PREFIX=$run/wine
	[ ! -f "$ROSTER_WINE_PREFIX/.ready" ] || return 0
	say "making Wine ready"
	rm -rf "$ROSTER_WINE_PREFIX"
	WINEPREFIX=$ROSTER_WINE_PREFIX WINEDEBUG=-all WINEDLLOVERRIDES="mscoree,mshtml=" wineboot -i >"$run/wine.log" 2>&1 || die "wineboot; see $run/wine.log"
	WINEPREFIX=$ROSTER_WINE_PREFIX wineserver -w
	touch "$ROSTER_WINE_PREFIX/.ready"
}

end_wine() {
	[ -z "${ROSTER_WINE_PREFIX:-}" ] || WINEPREFIX=$ROSTER_WINE_PREFIX wineserver -k 2>/dev/null || true
}
