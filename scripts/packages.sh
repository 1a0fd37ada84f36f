#!/usr/bin/env bash
# Installs the Debian packages that one purpose needs, if they are missing, and
# says which and why.
set -euo pipefail

case "${1:-}" in
  codecs)   why="to build the codec worker"; packages="gcc libc6-dev pkg-config libopenh264-dev libde265-dev libturbojpeg0-dev libvpx-dev libyuv-dev libopus-dev libvo-aacenc-dev libfaad-dev" ;;
  browser)  why="to test pages in a real browser, behind nginx and behind routers"; packages="chromium nginx-light openssl nftables iproute2 libnss3-tools" ;;
  bench)    why="to measure against"; packages="nginx-light wrk nghttp2-client openssl" ;;
  engines)  why="to test pages in Firefox and WebKitGTK"; packages="firefox-esr libavcodec59 webkit2gtk-driver xvfb gstreamer1.0-libav gstreamer1.0-plugins-bad" ;;
  package)  why="to make Debian packages, and to test them"; packages="dpkg-dev systemd systemd-container curl procps" ;;
  terminal) why="to take pictures of the command line"; packages="xvfb xterm imagemagick x11-utils fonts-dejavu-core" ;;
  *) echo "usage: $0 codecs|browser|engines|bench|package|terminal" >&2; exit 2 ;;
esac

missing=""
for p in $packages; do
  dpkg-query -W -f='${Status}' "$p" 2>/dev/null | grep -q 'ok installed' || missing="$missing $p"
done
[ -z "$missing" ] && exit 0

echo "Installing$missing $why."
root=""
if [ "$(id -u)" != 0 ]; then
  command -v sudo >/dev/null || { echo "This needs root: run \"apt-get install$missing\" as root, then try again." >&2; exit 1; }
  root=sudo
fi
$root apt-get update -qq
# Word splitting is wanted: the list holds package names only.
# shellcheck disable=SC2086
DEBIAN_FRONTEND=noninteractive $root apt-get install -y -qq --no-install-recommends $missing >/dev/null
