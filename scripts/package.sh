#!/usr/bin/env bash
# Makes the Debian packages in bin/packages: the service for amd64 and arm64, and the codec
# worker for this machine's kind. VERSION may be given, for tests of upgrades.
set -euo pipefail
cd "$(dirname "$0")/.."
host=$(dpkg --print-architecture)
version=${VERSION:-$(bin/webostrum --version | awk '{print $NF}')}
to=${TO:-bin/packages}
nfpm=$PWD/bin/nfpm
[ -x "$nfpm" ] || (cd packaging/tools && GOFLAGS= go build -o "$nfpm" github.com/goreleaser/nfpm/v2/cmd/nfpm)
rm -rf $to && mkdir -p $to

# make_deb NAME ARCH DEPENDS makes a package of packaging/NAME.nfpm.yaml.
make_deb() {
  sed -e "s|\${ARCH}|$2|g" -e "s|\${VERSION}|$version|g" -e "s#\${OUT}#$to/$2#g" -e "s|\${DEPENDS}|$3|g" "packaging/$1.nfpm.yaml" >"$to/$2/$1.nfpm"
  "$nfpm" package --config "$to/$2/$1.nfpm" --packager deb --target $to/ >/dev/null
}

for arch in amd64 arm64; do
  out=$to/$arch && mkdir -p "$out"
  if [ "$arch" = "$host" ] && [ -z "${VERSION:-}" ]; then
    cp bin/webostrum "$out/webostrum"
  else
    CGO_ENABLED=0 GOARCH=$arch go build -trimpath -ldflags="-s -w -X webostrum/service.Version=$version" -o "$out/webostrum" ./cmd/webostrum
  fi
  bin/webostrum settings >"$out/webostrum.yaml"
  bin/webostrum man | gzip -9n >"$out/webostrum.1.gz"
  for shell in bash zsh fish; do bin/webostrum completion "$shell" >"$out/completion.$shell"; done
  sed "s/@VERSION@/$version/" packaging/preinstall.sh >"$out/preinstall.sh"
  make_deb webostrum "$arch" ""
done

# The worker's libraries, as the dynamic linker finds them.
out=$to/$host
cp bin/webostrum-codecs "$out/"
mkdir -p $to/debian && : >$to/debian/control
depends=$(cd "$to" && dpkg-shlibdeps -O --ignore-missing-info "$host/webostrum-codecs" 2>/dev/null | sed -n 's/^shlibs:Depends=//p')
rm -rf $to/debian
make_deb codecs "$host" "$(printf '%s' "$depends" | sed 's/[^,]*/"&"/g')"
ls -l $to/*.deb
