#!/bin/sh
# Installs what is missing, and the package if its sources have changed since. Works again when repeated.
#   tools/setup.sh run    what the package needs to run
#   tools/setup.sh test   and what its tests need
# Debian's built packages are taken where they exist and are new enough, CRAN's sources for the rest.
set -eu
cd "$(dirname "$0")/.."
purpose=${1:-run}
mkdir -p build
log=build/setup.log
say() { echo "$*" >&2; }

# The packages of DESCRIPTION that are missing or too old, one a line.
missing_packages() { Rscript --vanilla tools/missing-packages.R "$purpose"; }

from_debian() {
  command -v apt-get >/dev/null 2>&1 && [ "$(id -u)" = 0 ] || return 0
  apt-get update -qq >>"$log" 2>&1 || true
  names=$(for p in $1; do
    name=r-cran-$(echo "$p" | tr '[:upper:]' '[:lower:]')
    apt-cache show "$name" >/dev/null 2>&1 && echo "$name" || true
  done)
  [ -z "$names" ] || DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $names >>"$log" 2>&1 || true
}

# Without what only a debugger reads, compiling takes a fifth less. Whoever has settings of their own keeps them.
if [ -z "${R_MAKEVARS_USER:-}" ] && [ ! -e "$HOME/.R/Makevars" ]; then
  for language in C CXX CXX11 CXX14 CXX17; do echo "${language}FLAGS = -O2"; done >build/Makevars
  export R_MAKEVARS_USER="$PWD/build/Makevars"
fi

# The tests write to a PostgreSQL of their own, where Debian's can be had.
of_system=
if [ "$purpose" = test ] && command -v apt-get >/dev/null 2>&1 && [ "$(id -u)" = 0 ]; then
  ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 || of_system="$of_system postgresql"
  [ -e /usr/include/postgresql/libpq-fe.h ] || of_system="$of_system libpq-dev"
fi
if [ -n "$of_system" ]; then
  say "Installing" $of_system
  apt-get update -qq >>"$log" 2>&1 || true
  DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $of_system >>"$log" 2>&1 || true
fi

missing=$(missing_packages)
if [ -n "$missing" ]; then
  say "Installing" $missing
  from_debian "$missing"
  missing=$(missing_packages)
fi
if [ -n "$missing" ]; then
  Rscript --vanilla tools/install-packages.R $missing >>"$log" 2>&1 || true
  missing=$(missing_packages)
  [ -z "$missing" ] || { tail -20 "$log" >&2; say "Can't install:" $missing; say "All that was said is in $log."; exit 1; }
fi

# The sources, and the installed package that was made of them.
state() {
  find DESCRIPTION NAMESPACE R src inst exec man -type f ! -name '*.o' ! -name '*.so' | LC_ALL=C sort | xargs cksum | cksum
  Rscript --vanilla -e 'cat(utils::packageDescription("rowanroot")$Built)' 2>/dev/null || true
}
if [ "$(state)" != "$(cat build/installed 2>/dev/null)" ]; then
  say "Building rowanroot"
  # R's make does not know which objects a header is in.
  newest=$(find src -name '*.h' -exec ls -t {} + | head -1)
  find src -name '*.o' ! -newer "$newest" -delete
  Rscript --vanilla tools/install-packages.R >>"$log" 2>&1
  MAKEFLAGS="-j$(getconf _NPROCESSORS_ONLN 2>/dev/null || echo 1)" R CMD INSTALL . >"$log" 2>&1 || { tail -30 "$log" >&2; exit 1; }
  state >build/installed
fi

# The command, where the PATH finds it.
command=$(Rscript --vanilla -e 'cat(system.file("exec", "rowanroot", package = "rowanroot"))')
bin=/usr/local/bin
[ -w "$bin" ] || { bin=$HOME/.local/bin; mkdir -p "$bin"; }
if [ "$(readlink "$bin/rowanroot" 2>/dev/null)" != "$command" ]; then
  ln -sf "$command" "$bin/rowanroot"
  case ":$PATH:" in *":$bin:"*) ;; *) say "The command is $bin/rowanroot: put $bin on your PATH to call it by name." ;; esac
fi
