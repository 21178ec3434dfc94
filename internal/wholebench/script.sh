#!/bin/sh
# What a person would type to learn the same of a Linux machine by stock tools.
lscpu
lsblk -b -o NAME,SIZE,ROTA,TYPE,MODEL,PTTYPE,MOUNTPOINT
df -B1 /
cat /etc/os-release /proc/meminfo /proc/sys/kernel/hostname
cat /sys/class/dmi/id/sys_vendor /sys/class/dmi/id/product_name /sys/class/dmi/id/bios_version
od -An -tx1 /sys/firmware/dmi/tables/DMI
od -An -tx1 /sys/firmware/efi/efivars/SecureBoot-8be4df61-93ca-11d2-aa0d-00e098032b8c
cat /sys/class/tpm/tpm0/tpm_version_major
cat /sys/bus/pci/devices/*/class /sys/bus/pci/devices/*/vendor /sys/bus/pci/devices/*/device /sys/class/net/*/operstate
for disk in /sys/block/*/device; do disk=${disk%/device}; od -An -tx1 -N 40960 "/dev/${disk##*/}"; done
cat /sys/class/drm/*/status /sys/class/power_supply/*/capacity
ls /sys/class/drm /sys/class/power_supply
exit 0
