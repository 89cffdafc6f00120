#!/usr/bin/env bash
# Tries the Debian package in a clean root: installed, used by an ordinary user under an X server,
# removed without a trace outside of that user's own files. Needs root, mmdebstrap and a registry.
set -euo pipefail
cd "$(dirname "$0")/.."
deb=$(ls dist/keen-trellis_*.deb)
root=$(mktemp -d)
trap 'umount "$root/proc" "$root/dev/pts" 2>/dev/null || true; rm -rf --one-file-system "$root"' EXIT

mmdebstrap --variant=minbase --include=ca-certificates bookworm "$root" >/dev/null 2>&1
mkdir -p "$root/dev/pts"; mount -t devpts devpts "$root/dev/pts" 2>/dev/null || true
mount -t proc proc "$root/proc" 2>/dev/null || true
cp "$deb" "$root/tmp/keen-trellis.deb"
cp -r /etc/apt/apt.conf.d/. "$root/etc/apt/apt.conf.d/" 2>/dev/null || true
inside() { chroot "$root" env DEBIAN_FRONTEND=noninteractive LC_ALL=C.UTF-8 "$@"; }
inside apt-get update -qq
inside apt-get install -y -qq --no-install-recommends xvfb xauth adduser desktop-file-utils shared-mime-info >/dev/null 2>&1
inside adduser --disabled-password --gecos "" reader >/dev/null
everything() { (cd "$root" && find . -xdev -path ./proc -prune -o -path ./tmp -prune -o -path ./home -prune \
  -o -path ./var -prune -o -path ./etc/ld.so.cache -prune -o -print | sort); }

inside apt-get install -y -qq --download-only --no-install-recommends /tmp/keen-trellis.deb >/dev/null
# what it needs of Debian stays when it goes: so it is there before we look
needed=$(dpkg-deb -f "$deb" Depends | tr ',' '\n' | sed 's/(.*//; s/ //g')
inside apt-get install -y -qq --no-install-recommends $needed >/dev/null 2>&1
everything >"$root/tmp/before"
inside apt-get install -y -qq --no-install-recommends /tmp/keen-trellis.deb >/dev/null
inside su reader -c 'cd ~ && keen-trellis --version && cp -r /usr/lib/keen-trellis/lib/python3*/site-packages/keen_trellis/shipped/demo demo &&
  keen-trellis check demo/whole-season.trellis >/dev/null && xdg-mime query filetype demo/whole-season.trellis 2>/dev/null || true'
inside grep -c keen-trellis /usr/share/applications/mimeinfo.cache
inside su reader -c 'cd ~ && timeout 25 xvfb-run -a -s "-screen 0 1280x800x24" keen-trellis open demo/whole-season.trellis --log ~/log; test $? = 124'
grep -c "read" "$root/home/reader/log"
inside apt-get purge -y -qq keen-trellis >/dev/null
everything >"$root/tmp/after"
if ! diff "$root/tmp/before" "$root/tmp/after"; then echo "Something of it stayed."; exit 1; fi
echo "Installed, opened and removed without a trace."
