#!/usr/bin/env bash
# Installs, starts, upgrades, removes and purges the packages in a root of its own with
# systemd, as root: "make install-test". Nothing of it stays on this machine.
set -euo pipefail
cd "$(dirname "$0")/../.."
[ "$(id -u)" = 0 ] || { echo "it needs root" >&2; exit 2; }
folder=$(mktemp -d)
in="packaging/installtest/root.sh $folder"
trap '$in --remove || true; rm -rf "$folder"' EXIT

scripts/package.sh
TO=bin/packages-next VERSION=0.3.0 scripts/package.sh
# It ends well on a mistyped key, too: whatever it prints is a mistake.
mistakes=$(systemd-analyze verify --man=no packaging/webostrum.service 2>&1 | grep -v 'is not executable' || true)
[ -z "$mistakes" ] || { echo "the unit has a mistake: $mistakes" >&2; exit 1; }
systemd-analyze security --offline=true --threshold=20 packaging/webostrum.service | tail -1

$in sh -c 'mkdir -p /pkg/next; rm -rf /var/lib/webostrum /etc/webostrum'
cp bin/packages/*.deb "$folder/root/pkg/"; cp bin/packages-next/webostrum_*.deb "$folder/root/pkg/next/"
cp packaging/installtest/inside.sh "$folder/root/inside.sh"
$in sh -c 'DEBIAN_FRONTEND=noninteractive dpkg -i /pkg/webostrum_*_amd64.deb /pkg/webostrum-codecs_*_amd64.deb >/install.log 2>&1 || { cat /install.log; exit 1; }
systemctl enable webostrum.service >/dev/null 2>&1
printf "[Unit]\nAfter=webostrum.service\n[Service]\nType=oneshot\nExecStart=/bin/bash /inside.sh\nExecStopPost=/bin/systemctl --no-block poweroff\nTimeoutStartSec=300\n[Install]\nWantedBy=multi-user.target\n" >/etc/systemd/system/inside.service
systemctl enable inside.service >/dev/null 2>&1
printf "1234567890abcdef1234567890abcdef\n" >/etc/machine-id
rm -f /etc/resolv.conf; : >/etc/resolv.conf'
timeout 400 systemd-nspawn -q -D "$folder/root" --register=no --keep-unit -b --private-network --console=pipe </dev/null >"$folder/boot.log" 2>&1 || true
cat "$folder/root/results"
if ! grep -q '^done$' "$folder/root/results" || grep -q '^FAIL' "$folder/root/results"; then
  tail -40 "$folder/boot.log" >&2
  exit 1
fi
