#!/bin/sh
# Installs Debian packages the tests need. Where another process holds the lock of
# apt or dpkg, as on a machine that has just started, it says so and waits for it,
# for five minutes at most.
set -u
limit=${APT_PATIENCE:-300}
export DEBIAN_FRONTEND=noninteractive LC_ALL=C
errors=$(mktemp)
trap 'rm -f "$errors"' EXIT

apt() {
	waited=0
	until apt-get "$@" >/dev/null 2>"$errors"; do
		if ! grep -qE 'Could not get lock|Unable to (acquire|lock)' "$errors"; then
			cat "$errors" >&2
			return 1
		fi
		if [ "$waited" -ge "$limit" ]; then
			echo "apt-get is still held by another process after $limit seconds; end that, or try again later:" >&2
			cat "$errors" >&2
			return 1
		fi
		[ "$waited" -gt 0 ] || echo "apt-get is held by another process; waiting for it, at most $limit seconds"
		sleep 1
		waited=$((waited + 1))
	done
}

apt update -qq && apt install -y -qq --no-install-recommends "$@"
