#!/bin/sh
# After the service or the agent was installed, or brought to another version. NAME is set in front of it.
set -eu
root="${DPKG_ROOT:-}"
if [ -f "$root/usr/lib/sysusers.d/$NAME.conf" ] && command -v systemd-sysusers >/dev/null; then
	systemd-sysusers ${root:+--root="$root"} "$NAME.conf" || true
fi
if command -v systemd-tmpfiles >/dev/null; then
	systemd-tmpfiles ${root:+--root="$root"} --create "$NAME.conf" || true
fi
# Whoever installs unattended writes the agent's settings before; where nobody did, they say what to write.
settings=$root/etc/cirque-agent/agent.yaml
if [ "$NAME" = cirque-agent ] && [ ! -e "$settings" ]; then
	install -D -m 600 "$root/usr/share/doc/cirque-agent/agent.yaml" "$settings"
fi
# What the service lacks is said at once; nothing is asked.
if [ "$NAME" = cirque ] && [ -z "$root" ] && command -v setpriv >/dev/null && id -u cirque >/dev/null 2>&1; then
	setpriv --reuid cirque --regid cirque --clear-groups cirque doctor --config /etc/cirque/cirque.yaml 2>/dev/null |
		grep -A 1 '^no ' >&2 || true
fi
if [ -z "$root" ] && [ -d /run/systemd/system ]; then
	systemctl daemon-reload
	case "${1:-}${2:+ from another version}" in
	"configure from another version" | 2) ;; # what an administrator has switched off stays so
	*) systemctl enable --quiet "$NAME.service" ;;
	esac
	systemctl restart "$NAME.service" || echo "$NAME does not run: journalctl -u $NAME says why" >&2
fi
