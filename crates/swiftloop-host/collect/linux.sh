#!/bin/sh
# Copies what this computer tells of itself into a folder copy-NAME, for: swiftloop survey --root, swiftloop check.
# It changes nothing and sends nothing. It reads:
#   /proc: asound (cards and how they are open), cpuinfo, meminfo, interrupts, pressure, version, cmdline,
#          self/limits, self/status, sys/vm/swappiness, sys/kernel/sched_rt_*, sys/kernel/hostname, irq/*/smp_affinity_list,
#          net/route (which way leads to the network)
#   /sys:  devices/system/cpu (clocks, idle, topology), bus/usb/devices (names, speeds, sleep), class/power_supply,
#          class/thermal, class/dmi/id/bios_version, kernel/realtime, class/net (which way is wireless)
#   pw-dump, if PipeWire is there; df for the free space of this folder; names (only) of what is in the folders autostart
set -u
out="copy-$(uname -n | tr -c 'A-Za-z0-9._\n-' '_')"
mkdir "$out" || exit 1
take() { # a file, with its folders
  [ -r "$1" ] && [ -f "$1" ] || return 0
  mkdir -p "$out/$(dirname "${1#/}")"
  head -c 1000000 "$1" >"$out/${1#/}" 2>/dev/null
}
for f in /proc/asound/cards /proc/asound/card[0-9]*/stream* /proc/asound/card[0-9]*/codec* /proc/asound/card[0-9]*/usbbus \
  /proc/asound/card[0-9]*/pcm*/sub0/hw_params /proc/asound/card[0-9]*/*lock* /proc/cpuinfo /proc/meminfo /proc/interrupts \
  /proc/pressure/* /proc/version /proc/cmdline /proc/self/limits /proc/self/status /proc/sys/vm/swappiness \
  /proc/sys/kernel/sched_rt_runtime_us /proc/sys/kernel/sched_rt_period_us /proc/sys/kernel/hostname \
  /proc/irq/*/smp_affinity_list /proc/net/route /sys/kernel/realtime /sys/class/dmi/id/bios_version; do take "$f"; done
for f in /sys/devices/system/cpu/cpu[0-9]*/cpufreq/*_freq /sys/devices/system/cpu/cpu[0-9]*/cpufreq/scaling_*governor* \
  /sys/devices/system/cpu/cpu[0-9]*/cpuidle/state*/name /sys/devices/system/cpu/cpu[0-9]*/cpuidle/state*/latency \
  /sys/devices/system/cpu/cpu[0-9]*/cpuidle/state*/disable /sys/devices/system/cpu/cpu[0-9]*/topology/core_id \
  /sys/devices/system/cpu/cpu[0-9]*/topology/physical_package_id /sys/devices/system/cpu/cpu0/thermal_throttle/* \
  /sys/devices/system/cpu/cpufreq/boost /sys/devices/system/cpu/intel_pstate/no_turbo; do take "$f"; done
for d in /sys/bus/usb/devices/*; do
  for n in product speed busnum devnum bDeviceClass bcdDevice power/control; do take "$d/$n"; done
done
for d in /sys/class/power_supply/* /sys/class/thermal/thermal_zone*; do
  for n in type online temp; do take "$d/$n"; done
done
for d in /sys/class/net/*/wireless /sys/class/net/*/phy80211; do [ -e "$d" ] && mkdir -p "$out$d"; done
command -v pw-dump >/dev/null 2>&1 && pw-dump >"$out/pipewire.json" 2>/dev/null
[ -s "$out/pipewire.json" ] || rm -f "$out/pipewire.json"
df -Pk . | awk 'NR == 2 { printf "%.3f\n", $4 * 1024 / 1e9 }' >"$out/disk-free-gb"
ls "${XDG_CONFIG_HOME:-${HOME:-}/.config}/autostart" /etc/xdg/autostart 2>/dev/null | grep '\.desktop$' >"$out/starting"
[ -s "$out/starting" ] || rm -f "$out/starting"
echo "$out"
