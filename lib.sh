# Shared by ./start and ./test: what they need from the machine, and the build.
# Sourced with the project's root as the current folder.

say() { printf '· %s\n' "$*"; }
fail() { printf '%s: %s\n' "$0" "$*" >&2; exit 1; }

need_tool() { # need_tool PROGRAM WHAT
  command -v "$1" >/dev/null 2>&1 || fail "$1 is not on the PATH; install $2 first"
}

# need_package PACKAGE PROGRAM: installs Debian's PACKAGE unless PROGRAM is there.
need_package() {
  command -v "$2" >/dev/null 2>&1 && return
  [ -x "/usr/sbin/$2" ] && return
  command -v apt-get >/dev/null 2>&1 || fail "$2 is missing and there is no apt-get here; install it by hand (Debian calls the package $1)"
  local as=()
  if [ "$(id -u)" -ne 0 ]; then
    command -v sudo >/dev/null 2>&1 || fail "$2 is missing; install Debian's package $1 as root, then start again"
    as=(sudo)
  fi
  say "installing Debian's package $1"
  # Debian starts a server of its own on installing one; ours is another, so a
  # machine that has none running need not get one.
  { "${as[@]}" apt-get -qq update &&
    "${as[@]}" env DEBIAN_FRONTEND=noninteractive RUNLEVEL=1 apt-get -qq -y install --no-install-recommends "$1"; } \
    >"$log" 2>&1 || { tail -n 5 "$log" >&2; fail "package $1 could not be installed; see $log"; }
}

# fingerprint PATHS...: a hash over the content of the files below them.
fingerprint() {
  find "$@" -type f -not -path '*/node_modules/*' -not -path '*/dist/*' -print0 | sort -z | xargs -0 sha256sum | sha256sum
}

# once STAMP INPUTS COMMAND...: runs COMMAND unless it ran on the same INPUTS.
once() {
  local stamp=$work/$1 now=$2
  shift 2
  [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$now" ] && return
  rm -f "$stamp"
  "$@" >"$log" 2>&1 || { tail -n 20 "$log" >&2; fail "that failed: $*; all of it stands in $log"; }
  printf '%s' "$now" >"$stamp"
}

build_ui() {
  need_tool npm "Node.js 20 or newer"
  local lock screens
  lock=$(sha256sum ui/package-lock.json)
  if [ ! -d ui/node_modules ]; then rm -f "$work/npm"; fi
  if [ ! -f ui/dist/index.html ]; then rm -f "$work/ui"; fi
  [ "$(cat "$work/npm" 2>/dev/null)" = "$lock" ] || say "fetching the interface's packages (about half a minute)"
  once npm "$lock" npm --prefix ui ci --no-audit --no-fund
  build_core
  screens=$(fingerprint ui)
  [ "$(cat "$work/ui" 2>/dev/null)" = "$screens" ] || say "building the interface"
  once ui "$screens" npm --prefix ui run build
}

# build_core: the core with its words as WebAssembly, for the interface; written only when it is another one.
build_core() {
  need_tool go "Go 1.26 or newer"
  mkdir -p ui/core
  # Without inlining it is an eighth smaller once compressed.
  GOOS=js GOARCH=wasm go build -trimpath -buildvcs=false -gcflags=all=-l -ldflags "-s -w" -o "$work/core.wasm" ./cmd/core || fail "the core does not build; see above"
  cmp -s "$work/core.wasm" ui/core/core.wasm || cp "$work/core.wasm" ui/core/core.wasm
  cmp -s "$(go env GOROOT)/lib/wasm/wasm_exec.js" ui/core/wasm_exec.js || cp "$(go env GOROOT)/lib/wasm/wasm_exec.js" ui/core/wasm_exec.js
}

build_binary() { # build_binary PATH
  need_tool go "Go 1.26 or newer"
  [ -x "$1" ] || say "building the program (the first time a minute or two)"
  go build -o "$1" ./cmd/diligent || fail "the program does not build; see above"
}

work=$PWD/.run/work
log=$work/last.log
mkdir -p "$work" 2>/dev/null || fail "$work cannot be made; is this folder yours to write in?"
free=$(df -Pk . | awk 'NR==2 {print $4}')
[ "$free" -gt 1500000 ] || [ -x .run/diligent ] || fail "only $((free / 1024)) MB are free here and 1500 MB are needed to build; make room"
