#!/bin/sh
# Looks for what must come from Debian: python (venv), tests (Qt, pages printed as PDF, Java for a
# cluster, a screen and a reader of it), window (Qt on a screen).
# As root it installs what is missing; otherwise it says which packages to install.
set -u
missing=""

need() { # need FILE-OR-LIBRARY PACKAGE
  ldconfig -p | grep -q "$1" || missing="$missing $2"
}

case "${1:-window}" in
python)
  python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null || missing="python3"
  python3 -c 'import ensurepip, venv' 2>/dev/null || missing="$missing python3-venv"
  ;;
tests | window)
  need libGL.so.1 libgl1
  need libEGL.so.1 libegl1
  need libglib-2.0.so.0 libglib2.0-0
  need libfontconfig.so.1 libfontconfig1
  need libdbus-1.so.3 libdbus-1-3
  need libxkbcommon.so.0 libxkbcommon0
  need libpangoft2-1.0.so.0 libpangoft2-1.0-0
  need libharfbuzz-subset.so.0 libharfbuzz-subset0
  ;;
esac
if [ "${1:-window}" = tests ]; then # what the cluster of the tests runs on, and reads tables with
  command -v desktop-file-validate >/dev/null || missing="$missing desktop-file-utils"
  command -v update-mime-database >/dev/null || missing="$missing shared-mime-info"
  command -v appstreamcli >/dev/null || missing="$missing appstream"
  command -v Xvfb >/dev/null || missing="$missing xvfb"
  [ -x /usr/libexec/at-spi-bus-launcher ] || missing="$missing at-spi2-core"
  /usr/bin/python3 -c "import pyatspi" 2>/dev/null || missing="$missing python3-pyatspi"
  command -v dbus-daemon >/dev/null || missing="$missing dbus"
  command -v man >/dev/null || missing="$missing man-db"
  command -v java >/dev/null || missing="$missing openjdk-17-jre-headless"
  [ -e /usr/share/java/postgresql.jar ] || missing="$missing libpostgresql-jdbc-java"
  [ -e /usr/share/java/mariadb-java-client.jar ] || missing="$missing libmariadb-java"
fi
if [ "${1:-window}" != python ]; then # a real window, which the tests open as well
  need libxcb-cursor.so.0 libxcb-cursor0
  need libxcb-icccm.so.4 libxcb-icccm4
  need libxcb-keysyms.so.1 libxcb-keysyms1
  need libxcb-image.so.0 libxcb-image0
  need libxcb-render-util.so.0 libxcb-render-util0
  need libxcb-shape.so.0 libxcb-shape0
  need libxkbcommon-x11.so.0 libxkbcommon-x11-0
fi

[ -z "$missing" ] && exit 0
if [ "$(id -u)" = 0 ]; then
  echo "Installing from Debian:$missing"
  apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq $missing >/dev/null
else
  echo "Some Debian packages are missing. Install them and try again: sudo apt install$missing" >&2
  exit 1
fi
