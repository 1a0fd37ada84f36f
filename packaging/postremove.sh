#!/bin/sh
# Records stay when the package is removed, and go when it is purged.
set -e
if [ -d /run/systemd/system ]; then
  systemctl daemon-reload || true
fi
if [ "$1" = purge ]; then
  rm -rf /var/lib/webostrum /etc/webostrum/first-password
  rmdir /etc/webostrum 2>/dev/null || true
fi
