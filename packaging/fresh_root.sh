#!/usr/bin/env bash
# Tries the Debian package where nothing is: a root made by debootstrap, the package and what it depends on from Debian's registry,
# then the version, the doctor, a job on a simulated radio and the window itself, offscreen. Needs root and debootstrap.
#
#     packaging/fresh_root.sh unitone_0.1.0_amd64.deb FOLDER [SUITE]
set -euo pipefail
deb=$(realpath "$1") root=$2 suite=${3:-bookworm}
mirror=$(grep -rhoE '(https?|file):[^ ]+' /etc/apt/sources.list /etc/apt/sources.list.d 2>/dev/null | grep -E '/debian/?$' | grep -v snapshot | head -n 1 || true)
debootstrap --variant=minbase "$suite" "$root" "${mirror:-http://deb.debian.org/debian}" > "$root.log" 2>&1 || { tail -n 5 "$root.log"; exit 3; }
cp /etc/apt/sources.list "$root/etc/apt/" 2>/dev/null || true
cp -r /etc/apt/sources.list.d /etc/apt/apt.conf.d /etc/apt/keyrings "$root/etc/apt/" 2>/dev/null || true
cp /etc/resolv.conf "$root/etc/" 2>/dev/null || true
cp "$deb" "$root/tmp/unitone.deb"
inside() { chroot "$root" env -i PATH=/usr/sbin:/usr/bin:/sbin:/bin HOME=/tmp/home LANG=C.UTF-8 QT_QPA_PLATFORM=offscreen DEBIAN_FRONTEND=noninteractive "$@"; }
started=$(date +%s)
inside apt-get update -qq
inside apt-get install -y -qq --no-install-recommends /tmp/unitone.deb > "$root.install.log" 2>&1 || { tail -n 5 "$root.install.log"; exit 3; }
echo "installed in $(($(date +%s) - started)) s"
inside unitone --version
inside unitone doctor || true
inside unitone robot ostrel-teal-6 --sets 1 --json
# The window, with a job on its Bench, until it has been painted.
inside python3 -P - <<'PY'
import sys
sys.path.insert(0, "/usr/lib/unitone")
from pathlib import Path
from PyQt6.QtCore import QTimer
from unitone.desktop.shell.app import Program, make_application
app = make_application()
program = Program(Path("/tmp/new"))
program.open()
QTimer.singleShot(1500, app.quit)
app.exec()
shown = type(program.window).__name__, type(program.window.pages.currentWidget()).__name__
program.close()
print("window:", *shown)
PY
echo "ready $(($(date +%s) - started)) s after the package was there; $(du -sm "$root/usr/lib/unitone" | cut -f1) MB"
