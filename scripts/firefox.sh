#!/usr/bin/env bash
# The journeys of play, desk and result in Debian's Firefox instead of Chromium:
#   scripts/firefox.sh [tests ...]
# Firefox keeps time by an audio output: a silent one is started for it.
set -euo pipefail
cd "$(dirname "$0")/.."
umask 077
mkdir -p -m 711 .local
scripts/setup.sh --tests postgresql firefox-esr pulseaudio
export THRUMBLE_PG_BASE=$PWD/.local/pg-test THRUMBLE_PG_PORT=${THRUMBLE_TEST_PG_PORT:-54330} THRUMBLE_PG_DB=thrumble_test
export THRUMBLE_PG_OPTS="-c fsync=off -c synchronous_commit=off -c full_page_writes=off" OPENBLAS_NUM_THREADS=1
scripts/pg.sh start
sound=$(mktemp -d)
export XDG_RUNTIME_DIR=$sound PULSE_SERVER=unix:$sound/native
pulseaudio --daemonize=no --exit-idle-time=-1 --disable-shm -n -L module-null-sink \
  -L "module-native-protocol-unix auth-anonymous=1 socket=$sound/native" >"$sound/log" 2>&1 &
player=$!
trap 'kill $player 2>/dev/null || true; scripts/pg.sh stop || true; rm -rf "$sound"' EXIT
DATABASE_URL=$(scripts/pg.sh url); export DATABASE_URL
export NODE_OPTIONS="--require $PWD/scripts/firefox_bidi.cjs"
[ $# -gt 0 ] || set -- tests/browser/test_{desk,desk_bars,desk_text,journeys,result,rounds,take_cycle}.py
.venv/bin/pytest -q -o "addopts=--strict-markers --strict-config -p no:cacheprovider" --browser firefox "$@"
