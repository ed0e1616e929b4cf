#!/bin/sh
# Installs the Debian packages that the tests need, or those named, where they are missing and this is root.
set -eu
[ $# -gt 0 ] || set -- iproute2 util-linux libcap2-bin tshark chromium chromium-driver avahi-daemon dbus xvfb xterm imagemagick openssl fonts-dejavu-core kea-dhcp4-server kea-ctrl-agent kea-common dnsmasq-base keepalived isc-dhcp-server isc-dhcp-client udhcpc dhcpcd-base snmpd lldpd
missing=""
for name; do
    dpkg-query -W -f '${Status}' "$name" 2>/dev/null | grep -q 'ok installed' || missing="$missing $name"
done
[ -n "$missing" ] || exit 0
if [ "$(id -u)" -ne 0 ] || ! command -v apt-get >/dev/null; then
    echo "not installed, so some tests are skipped:$missing" >&2
    exit 0
fi
export DEBIAN_FRONTEND=noninteractive
apt-get update -q >/dev/null
# shellcheck disable=SC2086
apt-get install -y -q --no-install-recommends $missing >/dev/null
