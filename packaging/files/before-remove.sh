#!/bin/sh
# Before the service or the agent is taken away; on an upgrade it goes on until the new one is there.
set -eu
case "${1:-remove}" in
upgrade | 1) exit 0 ;;
esac
if [ -z "${DPKG_ROOT:-}" ] && [ -d /run/systemd/system ]; then
	systemctl disable --now "$NAME.service" || true
	[ "$NAME" != cirque-agent ] || systemctl stop cirque-agent-update.path || true
fi
