# Shared by the scripts beside this file: `source scripts/common.sh` from the project's root.
set -euo pipefail

# Says what is being done; when it fails, names it and says what to do.
#     step "Building" "see the first error above" cmake --build ...
step() {
  local what=$1 remedy=$2
  shift 2
  echo "==> $what"
  if ! "$@"; then
    echo "FAILED: $what" >&2
    echo "  command: $*" >&2
    echo "  what to do: $remedy" >&2
    exit 1
  fi
}

jobs=$(nproc)

# Configures (once) and builds a preset; further arguments are targets.
build() {
  local preset=$1
  shift
  step "Configuring $preset" "run scripts/install-packages, or delete build/$preset and try again" \
    bash -c "cmake --preset $preset >build-$preset.log 2>&1 || { cat build-$preset.log; exit 1; }; rm build-$preset.log"
  step "Building $preset${1:+: $*}" "the first error above names the file and line" \
    cmake --build --preset "$preset" --parallel "$jobs" ${1:+--target "$@"}
}
