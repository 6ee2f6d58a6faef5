# Sets up everything that ./demo and ./test need; sourced by both.  Quick when nothing has changed.
# wants: $root.  $1 names what the system packages are for: window or tests.

say() { printf '%s\n' "$*" >&2; }

have_package() { # a package or its 64-bit-time successor
    dpkg -s "$1" >/dev/null 2>&1 || dpkg -s "${1}t64" >/dev/null 2>&1
}

system_packages() {
    local wanted="libglib2.0-0 libegl1 libgl1 libdbus-1-3 libfontconfig1 libxkbcommon0
        libxcb-cursor0 libxcb-icccm4 libxcb-keysyms1 libxcb-shape0 libxkbcommon-x11-0 libasound2 libportaudio2"
    [ "$1" = tests ] && wanted="$wanted xvfb xauth xdotool ngspice sox gcc libc6-dev jackd2"
    command -v dpkg >/dev/null 2>&1 || {
        say "This is no Debian system; these packages' counterparts are needed: $(echo $wanted)"
        return 0
    }
    local missing=""
    for package in $wanted; do have_package "$package" || missing="$missing $package"; done
    [ -z "$missing" ] && return 0
    local as_root=""
    if [ "$(id -u)" != 0 ]; then
        if sudo -n true 2>/dev/null; then as_root="sudo -n"; else
            say "Please install these system packages, then run this again:"
            say "    sudo apt-get install$missing"
            return 1
        fi
    fi
    say "Installing system packages:$missing"
    $as_root apt-get update -qq >&2 || true
    DEBIAN_FRONTEND=noninteractive $as_root apt-get install -y -qq $missing >/dev/null || {
        say "apt could not install:$missing"
        return 1
    }
}

find_python() {
    for candidate in python3.11 python3 python3.12 python3.13 python3.14; do
        if command -v "$candidate" >/dev/null 2>&1 &&
            "$candidate" -c 'import sys, venv, ensurepip; sys.exit(not (3, 11) <= sys.version_info[:2] <= (3, 14))' \
                2>/dev/null; then
            echo "$candidate"
            return 0
        fi
    done
    say "Python 3.11 to 3.14 with its venv module is needed (Debian: apt-get install python3 python3-venv)."
    return 1
}

python_packages() {
    local stamp="$root/.venv/.installed" want
    want=$(cat "$root/requirements.lock" "$root/pyproject.toml" | sha256sum | cut -d' ' -f1)
    [ "$(cat "$stamp" 2>/dev/null)" = "$want" ] && [ -x "$root/.venv/bin/dynamis" ] && return 0
    local python
    python=$(find_python) || return 1
    say "Setting up .venv from requirements.lock"
    [ -x "$root/.venv/bin/python" ] || "$python" -m venv "$root/.venv" || return 1
    export PIP_DISABLE_PIP_VERSION_CHECK=1
    "$root/.venv/bin/python" -m pip install -q --no-deps --require-hashes -r "$root/requirements.lock" >&2 || return 1
    "$root/.venv/bin/python" -m pip install -q --no-deps --no-build-isolation -e "$root" >&2 || return 1
    "$root/.venv/bin/python" -m compileall -q "$root/src" >&2 || return 1
    printf '%s\n' "$want" >"$stamp"
}

set_up() {
    system_packages "$1" && python_packages
}
