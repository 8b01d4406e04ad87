#!/bin/sh
# Takes the agent away, and with --queues the queues that it installed: sudo ./remove.sh [--queues]
set -eu
[ "$(id -u)" -eq 0 ] || { echo "run it as root: sudo $0" >&2; exit 1; }
launchctl bootout system /Library/LaunchDaemons/example.cirque.agent.plist 2>/dev/null || true
[ "${1:-}" != --queues ] || /usr/local/bin/cirque-agent clear --yes
rm -f /Library/LaunchDaemons/example.cirque.agent.plist /usr/local/bin/cirque-agent /usr/local/share/man/man1/cirque-agent*.1
echo "What the agent knew stays in /Library/Application Support/Cirque Agent."
