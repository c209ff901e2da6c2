#!/bin/sh
# Copies what this computer tells of itself into a folder copy-NAME, for: swiftloop survey --root, swiftloop check.
# It changes nothing and sends nothing. It reads what these tools of the system print:
#   system_profiler (audio devices, USB, hardware overview), pmset -g (power settings, supply), sw_vers, vm_stat, sysctl vm.swapusage,
#   ps (programs that work now), df (free space of this folder), scutil (the computer's name);
#   names (only) of what is in the folders LaunchAgents: what starts when somebody logs in
set -u
name=$(scutil --get LocalHostName 2>/dev/null || hostname -s)
out="copy-$(printf %s "$name" | tr -c 'A-Za-z0-9._-' '_')"
mkdir "$out" && mkdir "$out/macos" || exit 1
cd "$out/macos" || exit 1
printf '%s\n' "$name" >name.txt
system_profiler -json SPAudioDataType >audio.json 2>/dev/null
system_profiler -json SPUSBDataType >usb.json 2>/dev/null
# Newer systems name it otherwise.
grep -q '_name' usb.json || system_profiler -json SPUSBHostDataType >usb.json 2>/dev/null
# Without serial numbers and the like.
system_profiler -json SPHardwareDataType -detailLevel mini 2>/dev/null >hardware.json
pmset -g custom >power.txt 2>/dev/null
pmset -g ps >supply.txt 2>/dev/null
sw_vers >version.txt
vm_stat >memory.txt
sysctl vm.swapusage >swap.txt
ps -Arco pcpu,comm | head -n 12 >programs.txt
df -k .. >disk.txt
ls "${HOME:-}/Library/LaunchAgents" /Library/LaunchAgents 2>/dev/null | grep '\.plist$' >starting.txt
echo "$out"
