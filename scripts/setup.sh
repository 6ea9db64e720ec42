# Sourced by ./demo and ./test: looks for what the build needs and installs what is missing where it may.
# Sets FEATURES to the cargo arguments of the build that is possible here.

say() { echo "estampie: $*" >&2; }

# install PACKAGE...: through the system's package manager, as root or by sudo without a question; false where it may not.
install() {
  command -v apt-get >/dev/null || return 1
  local as=()
  if [ "$(id -u)" != 0 ]; then
    command -v sudo >/dev/null && sudo -n true 2>/dev/null || return 1
    as=(sudo -n)
  fi
  say "installing $*"
  "${as[@]}" apt-get update -qq >/dev/null 2>&1 || true
  "${as[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq "$@" >/dev/null 2>&1
}

command -v cargo >/dev/null || { say "cargo is missing: install Rust 1.89 or newer first"; exit 1; }
command -v cc >/dev/null || install gcc libc6-dev || { say "a C compiler is missing, and may not be installed from here: install gcc"; exit 1; }

have_alsa() { command -v pkg-config >/dev/null && pkg-config --exists alsa; }

FEATURES=()
if [ "$(uname -s)" = Linux ] && ! have_alsa; then
  install libasound2-dev pkg-config || true
  if ! have_alsa; then
    say "ALSA's headers are missing and may not be installed from here (Debian: libasound2-dev, pkg-config)."
    say "Building without sound devices: the workshop plays on its silent clock and says so."
    FEATURES=(--no-default-features)
  fi
fi
