#!/bin/sh
# The test of a controller behind a broker uses Debian's mosquitto. Install it where that is allowed; without it the
# test is left out.
command -v mosquitto >/dev/null 2>&1 && exit 0
[ -x /usr/sbin/mosquitto ] && exit 0
if command -v apt-get >/dev/null 2>&1 && [ "$(id -u)" = 0 ]; then
    echo "Installing mosquitto for the test of a controller behind a broker ..."
    apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y --no-install-recommends mosquitto >/dev/null
fi
exit 0
