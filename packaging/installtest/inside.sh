#!/bin/bash
# Runs inside a root of its own, with systemd, after the package was installed; every line
# of the results is a step and what came of it.
exec >/results 2>&1
data=/var/lib/webostrum
cli="webostrum --data $data"
step() { # NAME COMMAND...
  local name=$1; shift
  if out=$("$@" 2>&1); then echo "ok   $name"; else echo "FAIL $name: $out"; fi
}
until_ok() { # SECONDS COMMAND...
  local n=$1; shift
  for _ in $(seq $((n * 5))); do "$@" >/dev/null 2>&1 && return 0; sleep 0.2; done
  "$@"
}
is() { [ "$1" = "$2" ] || { echo "$1 is not $2"; return 1; }; }
has() { case "$1" in *"$2"*) ;; *) echo "no $2 in: $1"; return 1 ;; esac; }

step "the service is up" until_ok 30 systemctl is-active webostrum
step "it runs as its own user" is "$(ps -o user= -C webostrum | head -1 | tr -d ' ')" webostrum
step "the password is for root alone" is "$(stat -c '%a %U' /etc/webostrum/first-password)" "600 root"
step "the journal has no password" bash -c "! journalctl -u webostrum | grep -F \"\$(sed -n 's/^password *//p' /etc/webostrum/first-password)\""
password=$(sed -n 's/^password *//p' /etc/webostrum/first-password)
step "sign in with it" curl -sf -c /jar -H 'Content-Type: application/json' -H 'Origin: http://127.0.0.1:7600' -d "{\"name\":\"engineer\",\"password\":\"$password\"}" http://127.0.0.1:7600/api/v1/sign-in
step "who is signed in" has "$(curl -sf -b /jar http://127.0.0.1:7600/api/v1/me)" engineer

webostrum sim --listen 127.0.0.1:7664 --control 127.0.0.1:7690 --size 640x360 --rate 15 --keyframes 1s >/sim.log 2>&1 &
live() { has "$($cli feed list --output json)" '"state": "live"'; }
step "add a camera" until_ok 20 $cli feed add --audience everyone --user viewer --password funicular gate rtsp://127.0.0.1:7664/lower-station
step "it is live" until_ok 20 live
step "the fenced worker transcodes" until_ok 20 curl -sf -o /still.jpg "http://127.0.0.1:7600/media/gate/still.jpg?size=160x"
step "a JPEG came" has "$(od -An -tx1 -N2 /still.jpg)" "ff d8"

sed -i 's|^#https-listen:.*|https-listen: 0.0.0.0:443|; s|^#own-authority:.*|own-authority: true|' /etc/webostrum/webostrum.yaml
step "settings fit together" bash -c "runuser -u webostrum -- webostrum --config /etc/webostrum/webostrum.yaml --data $data check --output json | grep -q '\"what\": \"settings\"'"
step "restart with HTTPS on port 443" systemctl restart webostrum
step "watch page over HTTPS" until_ok 20 curl -sf --cacert $data/authority.pem -o /watch.html https://127.0.0.1/watch/gate
step "HLS over HTTPS" until_ok 20 bash -c "curl -sf --cacert $data/authority.pem https://127.0.0.1/media/gate/hls/index.m3u8 | grep -q EXTM3U"
step "live fragments over HTTPS" bash -c "curl -s --max-time 3 --cacert $data/authority.pem https://127.0.0.1/media/gate/live.mp4 | head -c 20000 | grep -qa moof"

printf 'seven otters at dawn\n' >/phrase && chmod 600 /phrase
step "backup while it runs" $cli backup --passphrase-file /phrase /backup
step "restore while it runs" $cli restore --passphrase-file /phrase /backup
step "it is live again" until_ok 30 live

mkdir -p /run/systemd/system/webostrum.service.d && printf '[Service]\nWatchdogSec=4\n' >/run/systemd/system/webostrum.service.d/watchdog.conf
systemctl daemon-reload; systemctl restart webostrum; until_ok 20 live
before=$(systemctl show -p MainPID --value webostrum); kill -STOP "$before"
changed() { local now; now=$(systemctl show -p MainPID --value webostrum); [ "$now" != 0 ] && [ "$now" != "$before" ] && systemctl is-active -q webostrum; }
step "a service that hangs is started anew" until_ok 40 changed
rm -r /run/systemd/system/webostrum.service.d; systemctl daemon-reload

step "upgrade keeps the edited settings" dpkg -i --force-confdef --force-confold /pkg/next/webostrum_0.3.0_amd64.deb
step "the edited file is there" grep -q '^https-listen: 0.0.0.0:443' /etc/webostrum/webostrum.yaml
step "the new version runs" until_ok 20 bash -c "systemctl is-active -q webostrum && webostrum --version | grep -q 0.3.0"
step "its feed is live" until_ok 30 live
said=$(dpkg -i /pkg/webostrum_0.2.0_amd64.deb 2>&1); code=$?
step "downgrade is refused" bash -c "[ $code != 0 ]"
step "with a sentence" has "$said" "could not read the records"
step "and the service goes on" until_ok 20 systemctl is-active webostrum

step "remove" dpkg -r webostrum
step "it has stopped" bash -c '! systemctl is-active -q webostrum && ! pgrep -x webostrum -u webostrum'
step "records stay" test -s $data/webostrum.db
step "purge" dpkg -P webostrum
step "records are gone" bash -c "! test -e $data && ! test -e /etc/webostrum"

step "install again on what is a new root" dpkg -i /pkg/next/webostrum_0.3.0_amd64.deb
step "it is up" until_ok 30 systemctl is-active webostrum
step "restore the backup there" until_ok 10 $cli restore --passphrase-file /phrase /backup
step "the camera of the first is live" until_ok 30 live
echo done
