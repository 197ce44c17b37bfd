# Sourced by ./demo and ./test: installs what is missing, configures, builds `targets` (nothing named: all).
# Quick when all stands already.
set -euo pipefail
top=$(cd "$(dirname "${BASH_SOURCE[0]}")" && pwd)
build="$top/build/release"

install_missing() {
  local missing=()
  for package in $(grep -v '^#' "$top/packages.txt"); do
    dpkg-query -W -f='${db:Status-Status}' "$package" 2>/dev/null | grep -qx installed || missing+=("$package")
  done
  [ ${#missing[@]} -eq 0 ] && return
  local sudo=""
  if [ "$(id -u)" -ne 0 ]; then
    if command -v sudo >/dev/null; then sudo=sudo
    else
      printf 'These packages are missing and can only be installed by an administrator:\n' >&2
      printf '  %s\n' "${missing[@]}" >&2
      exit 1
    fi
  fi
  echo "Installing ${#missing[@]} packages" >&2
  export DEBIAN_FRONTEND=noninteractive
  $sudo apt-get update -qq >&2
  $sudo apt-get install -y -qq --no-install-recommends "${missing[@]}" >&2 ||
    { echo "apt-get could not install: ${missing[*]}" >&2; exit 1; }
}

build_all() {
  if [ ! -f "$build/build.ninja" ]; then (cd "$top" && cmake --preset release >&2); fi
  cmake --build "$build" ${targets:+--target $targets} >&2
}

install_missing
build_all
