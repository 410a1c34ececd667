# Functions that the other scripts share; it is sourced, not run.
# shellcheck shell=bash

say() { printf '\033[1m%s\033[0m\n' "$*" >&2; }
die() { printf 'FAILED: %s\n' "$*" >&2; exit 1; }

top=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
run=$top/.run
cd "$top" || exit 1

# need_packages PROGRAM=PACKAGE...: installs Debian packages whose program is
# missing.
need_packages() {
	local want=() pair program
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
	DEBIAN_FRONTEND=noninteractive "${sudo[@]}" apt-get install -y -q "${want[@]}" >>"$run/apt.log" 2>&1 || die "apt-get install ${want[*]}; see $run/apt.log"
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
}

# build: the browser application and the program, where sources are newer.
build() {
	local program=$run/roster
	if [ ! -f web/dist/index.html ] || [ -n "$(find web/src web/index.html web/package-lock.json web/vite.config.ts web/public -newer web/dist/index.html -print -quit)" ]; then
		node_modules web
		say "building the browser application"
		(cd web && npx vite build --logLevel warn) >&2 || die "building the browser application"
		touch web/dist/.keep
	fi
	say "building the program"
	go build -o "$program" ./cmd/roster || die "building the program"
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

# free_port: a loopback port that nothing listens on now.
free_port() { node -e 'const s=require("net").createServer();s.listen(0,"127.0.0.1",()=>{console.log(s.address().port);s.close()})'; }

# start_postgres FOLDER PORT [OPTION...]: a cluster of its own on loopback.
# Sets $database. stop_postgres ends it, remove_postgres leaves nothing of it.
start_postgres() {
	local folder port=$2 log=$1.log bin
	folder=$(cluster_in "$1")
	shift 2
	bin=$(dirname "$(find_program initdb)")
	mkdir -p "$folder"
	if [ ! -f "$folder/data/PG_VERSION" ]; then
		[ "$(id -u)" != 0 ] || chown postgres "$folder"
		as_postgres "$bin/initdb" -D "$folder/data" -U roster -A trust -E UTF8 --locale=C.UTF-8 >"$log" 2>&1 || die "initdb; see $log"
	fi
	if ! as_postgres "$bin/pg_ctl" -D "$folder/data" status >/dev/null 2>&1; then
		as_postgres "$bin/pg_ctl" -D "$folder/data" -w -l "$folder/postgres.log" \
			-o "-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c shared_buffers=64MB $*" start >>"$log" 2>&1 ||
			die "PostgreSQL does not start on port $port; see $folder/postgres.log"
	else
		port=$(sed -n 4p "$folder/data/postmaster.pid")
	fi
	as_postgres "$bin/createdb" -h 127.0.0.1 -p "$port" -U roster roster >>"$log" 2>&1 || true
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

# As root the cluster runs as postgres, who must be able to come in.
mkdir -p "$run"
chmod 755 "$run"
