#!/bin/sh
# The browser tests drive Debian's chromium. Install it when it is missing and that is allowed.
set -e
for name in chromium chromium-browser; do
    command -v "$name" >/dev/null 2>&1 && exit 0
done
install="apt-get install -y --no-install-recommends chromium fonts-dejavu-core fonts-liberation"
if command -v apt-get >/dev/null 2>&1 && [ "$(id -u)" = 0 ]; then
    echo "Installing chromium for the browser tests ..."
    apt-get update -qq
    DEBIAN_FRONTEND=noninteractive $install >/dev/null
    exit 0
fi
echo "The browser tests need chromium, and it is not on this machine. Install it with:" >&2
echo "    sudo apt-get update && sudo $install" >&2
exit 1
