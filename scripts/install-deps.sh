#!/bin/sh
# Installs the Debian packages that are missing, and says what each is for.
#   scripts/install-deps.sh run    what the program needs
#   scripts/install-deps.sh test   what its tests need as well
#   scripts/install-deps.sh proof  and what the long evidence is held against
set -eu

missing=""
need() { # package, what it is for, whether it is there
	if ! eval "$3" >/dev/null 2>&1; then
		echo "Missing: $1, $2."
		missing="$missing $1"
	fi
}
need postgresql "the database server" "ls /usr/lib/postgresql/*/bin/pg_ctl"
need gcc "which compiles the binding to the library that runs the body models" "command -v gcc"
need libc6-dev "which that binding is compiled with" "test -e /usr/include/stdlib.h"
need ffmpeg "which takes films apart into pictures" "command -v ffmpeg && command -v ffprobe"
if [ "${1:-run}" != run ]; then
	need chromium "in which the tests use the interface" "command -v chromium"
	need procps "with which the tests end processes" "command -v pkill"
	need poppler-utils "with which the tests read the printed card" "command -v pdftotext"
fi
if [ "${1:-run}" = proof ]; then
	need python3-opencv "beside which following is measured" "${NEOKINEMA_PYTHON:-python3} -c 'import cv2'"
fi
[ -n "$missing" ] || exit 0

if ! command -v apt-get >/dev/null; then
	echo "This is not a Debian machine: install$missing by hand, then start again." >&2
	exit 1
fi
as=""
if [ "$(id -u)" != 0 ]; then
	if ! command -v sudo >/dev/null || ! sudo -v; then
		echo "You may not install packages here. Ask somebody who may to run: apt-get install$missing" >&2
		exit 1
	fi
	as=sudo
fi
# The database is a private one in the project: no server of Debian's own is wanted.
if [ ! -e /etc/postgresql-common/createcluster.conf ]; then
	$as mkdir -p /etc/postgresql-common
	echo "create_main_cluster = false" | $as tee /etc/postgresql-common/createcluster.conf >/dev/null
fi
echo "Installing$missing."
if ! { $as apt-get update -qq && $as env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends -o Dpkg::Options::=--force-confold $missing; } >/tmp/neokinema-install.log 2>&1; then
	tail -n 5 /tmp/neokinema-install.log >&2
	echo "Installing$missing did not work (the lines above say why). Install them by hand, then start again." >&2
	exit 1
fi
