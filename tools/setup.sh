#!/usr/bin/env bash
# Sets up everything that Clevrin needs, and is quick when nothing has changed: Debian packages that are
# missing, a virtual environment in .venv, and in it exactly what requirements.lock lists.
set -euo pipefail
cd "$(dirname "$0")/.."

# What Qt opens at run time; the second line is for a real window, the third for tests on a virtual screen and
# with a sound device that plays into nothing, the last one compiles the kernels.
packages=(
  libegl1 libgl1 libxkbcommon0 libdbus-1-3 libfontconfig1 libglib2.0-0 libpulse0
  libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4 libxcb-keysyms1 libxcb-shape0
  xvfb xauth pulseaudio pulseaudio-utils
  gcc libc6-dev
)
python=${PYTHON:-python3}

command -v "$python" >/dev/null || packages+=(python3)
"$python" -c 'import ensurepip, venv' 2>/dev/null || packages+=(python3-venv)

missing=()
for package in "${packages[@]}"; do
  state=$(dpkg-query -W -f='${db:Status-Status}' "$package" 2>/dev/null || true)
  # Ubuntu 24.04 renamed some of these with a t64 ending.
  [ "$state" = installed ] || state=$(dpkg-query -W -f='${db:Status-Status}' "${package}t64" 2>/dev/null || true)
  [ "$state" = installed ] || missing+=("$package")
done
if [ ${#missing[@]} -gt 0 ]; then
  if [ "$(id -u)" = 0 ]; then
    apt-get -o DPkg::Lock::Timeout=120 update -qq
    DEBIAN_FRONTEND=noninteractive apt-get -o DPkg::Lock::Timeout=120 install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
  else
    echo "Clevrin needs Debian packages that only root can install. Please run:" >&2
    echo "  sudo apt-get install --no-install-recommends ${missing[*]}" >&2
    exit 1
  fi
fi

"$python" -c 'import sys; sys.exit(not (3, 11) <= sys.version_info[:2] < (3, 13))' || {
  echo "Clevrin needs Python 3.11 or 3.12; '$python' is $("$python" -V). Name another one with PYTHON=..." >&2
  exit 1
}
stamp=.venv/installed
wanted=$(cat requirements.lock pyproject.toml clevrin/core/kernels/*.[ch] | sha256sum)
kernels=(clevrin/core/kernels/_kernels.*.so)
if [ ! -e "${kernels[0]}" ] || [ ! -f "$stamp" ] || [ "$(cat "$stamp")" != "$wanted" ]; then
  [ -x .venv/bin/python ] || "$python" -m venv .venv
  .venv/bin/python -m pip install -q --disable-pip-version-check --require-hashes -r requirements.lock
  # Without isolation no build requirement is fetched beyond the lock: setuptools is in it.
  .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
  echo "$wanted" > "$stamp"
fi
