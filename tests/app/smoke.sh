#!/usr/bin/env bash
# A real window: Xvfb with a window manager, the smoke test only.
set -eu
tests=$1
display=":$((90 + RANDOM % 800))"
Xvfb "$display" -screen 0 1400x900x24 >/dev/null 2>&1 & server=$!
trap 'kill "$manager" "$server" 2>/dev/null || true' EXIT
for _ in $(seq 50); do [ -e "/tmp/.X11-unix/X${display#:}" ] && break; sleep 0.1; done
DISPLAY=$display openbox >/dev/null 2>&1 & manager=$!
sleep 0.5
DISPLAY=$display QT_QPA_PLATFORM=xcb "$tests" --gtest_filter='Smoke.*'
