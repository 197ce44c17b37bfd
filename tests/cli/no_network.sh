#!/usr/bin/env bash
# Everything without a network, and nobody asks for one: the commands on the demo, and the window through its
# stages and its report.   no_network.sh LAYER CLI WINDOW_TESTS SMALL_DEMO
set -eu
layer=$1 cli=$2 window=$3 demo=$4
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
export EDGE_SOCKETS="$work/sockets" XDG_RUNTIME_DIR="$work" XDG_CACHE_HOME="$work/cache" QT_QPA_PLATFORM=offscreen
chmod 700 "$work"

# The layer must see a socket, or the test proves nothing.
LD_PRELOAD=$layer bash -c 'exec 3<>/dev/tcp/127.0.0.1/9' 2>/dev/null || true
[ -s "$EDGE_SOCKETS" ] || { echo "the layer sees no socket"; exit 1; }
rm "$EDGE_SOCKETS"

cp "$demo/last-year/saltpan-road-camera-prep.edgetest" "$work/p.edgetest"
cp -r "$demo/last-year/curves" "$work/"
printf 'name,stops\nwindow,3\n' > "$work/scene.csv"
clip=$(find "$demo/clips" -name '*.mkv' | head -1)
# Where a namespace without any network can be had, in it as well.
alone=""
unshare -rn true 2>/dev/null && alone="unshare -rn"
run() { LD_PRELOAD=$layer $alone "$@" > /dev/null || { echo "failed without a network: $*"; exit 1; }; }
run "$cli" --help
run "$cli" stops T4 T2.8
run "$cli" curve acescct
run "$cli" probe "$clip"
run "$cli" plan "$demo/recipe.json" --pdf "$work/plan.pdf" --csv "$work/plan.csv"
run "$cli" check "$demo/saltpan-road.edgetest"
run "$cli" library "$work"
run "$cli" scene "$work/p.edgetest" --readings "$work/scene.csv"
run "$cli" report "$work/p.edgetest" --no-stills --pdf "$work/r.pdf" --html "$work/r.html" --json "$work/r.json" --csv "$work"
run "$cli" latitude "$demo/series/corvane35-log-500.json"
run "$window" --gtest_filter='Smoke.*'

[ ! -e "$EDGE_SOCKETS" ] || { cat "$EDGE_SOCKETS"; exit 1; }
echo "no socket but the display's${alone:+, and all of it in a namespace without a network}"
