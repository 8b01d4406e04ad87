#!/bin/sh
# After the service or the agent was taken away. Its data stays, also on a purge: a database is nobody's to throw away
# but its owner's.
set -eu
if [ "${1:-}" = purge ]; then
	if [ "$NAME" = cirque-agent ]; then
		rm -f "${DPKG_ROOT:-}/etc/cirque-agent/agent.yaml"
		rmdir "${DPKG_ROOT:-}/etc/cirque-agent" 2>/dev/null || true
	fi
	if [ -d "${DPKG_ROOT:-}/var/lib/$NAME" ]; then
		echo "What $NAME kept stays in /var/lib/$NAME; remove it by hand." >&2
	fi
fi
if [ -z "${DPKG_ROOT:-}" ] && [ -d /run/systemd/system ]; then
	systemctl daemon-reload || true
fi
