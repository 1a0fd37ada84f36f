#!/bin/sh
# After the files are there: the user, the folder, the first account, the service.
set -e
data=/var/lib/webostrum
secret=/etc/webostrum/first-password

case "$1" in configure) ;; *) exit 0 ;; esac

if ! getent passwd webostrum >/dev/null; then
  adduser --system --group --home "$data" --no-create-home --quiet webostrum
fi
install -d -m 0700 -o webostrum -g webostrum "$data"

# The first password, for root alone: it stands in no log.
if [ ! -e "$data/webostrum.db" ]; then
  password=$(runuser -u webostrum -- /usr/bin/webostrum --data "$data" prepare 2>/dev/null || true)
  if [ -n "$password" ]; then
    ( umask 077; printf 'account   engineer\npassword  %s\n' "$password" >"$secret" )
    echo "webostrum: the first account's password is in $secret, which root alone reads."
  fi
fi

# A version from before cannot read what a newer one has written: it says so, and the
# records stay as they are.
if [ -d /run/systemd/system ]; then
  systemctl daemon-reload
  if [ -z "$2" ]; then
    systemctl enable --now webostrum.service || true
  else
    systemctl try-restart webostrum.service || true
  fi
fi
