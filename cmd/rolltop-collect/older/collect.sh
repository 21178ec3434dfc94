#!/bin/sh
# Reads a Linux machine or a Mac that the collector itself does not run on, by
# what every such system has, and writes a capture (rolltop-capture/1) to
# standard output. It changes nothing and sends nothing. Elsewhere,
#   rolltop-collect --from-capture FILE
# makes an inventory of it. Run it as root to learn what only root may read.
LC_ALL=C; export LC_ALL
umask 077

if command -v base64 >/dev/null 2>&1; then to64() { base64 | tr -d '\n'; }
elif command -v openssl >/dev/null 2>&1; then to64() { openssl base64 | tr -d '\n'; }
else echo "collect.sh: neither base64 nor openssl is here" >&2; exit 1; fi

# record SOURCE OUTCOME: bytes on standard input
record() {
  printf '  {"source": "%s", "outcome": "%s", "raw": "%s"},\n' "$1" "$2" "$(to64)"
}
# missing SOURCE PATH: why there are no bytes
missing() {
  if [ -e "$2" ] || [ -L "$2" ]; then record "$1" denied </dev/null
  elif [ -e "${2%/*}" ]; then record "$1" absent </dev/null
  else record "$1" not-exposed </dev/null; fi
}
file() { # PATH: a small file
  if [ -r "$1" ] && [ ! -d "$1" ]; then head -c 65536 "$1" 2>/dev/null | record "$1" ok; else missing "$1" "$1"; fi
}
mark() { # PATH: only whether it is there
  if [ -e "$1" ]; then record "$1" ok </dev/null; else missing "$1" "$1"; fi
}
names() { # DIRECTORY: the names in it
  if [ -r "$1" ] && [ -d "$1" ]; then ls -1A "$1" 2>/dev/null | record "$1/" ok; else missing "$1/" "$1"; fi
}
target() { # LINK: where it leads
  if [ -L "$1" ]; then printf %s "$(readlink "$1")" | record "link:$1" ok; else missing "link:$1" "$1"; fi
}
head_of() { # SOURCE PATH BYTES
  if [ -r "$2" ]; then head -c "$3" "$2" 2>/dev/null | record "$1" ok; else missing "$1" "$2"; fi
}

follow() { # a block device, down to its disk
  target "/sys/class/block/$1"
  names "/sys/block/$1/slaves"
  for below in $(ls -1 "/sys/block/$1/slaves" 2>/dev/null); do follow "$below"; done
}

named() { # MOUNT: the device that it names, where the file system has a number of its own, as btrfs has
  device=${1##* - }; device=${device#* }; device=${device%% *}
  case $device in /dev/mapper/*)
    for d in /sys/block/dm-*; do
      [ "$(cat "$d/dm/name" 2>/dev/null)" = "${device#/dev/mapper/}" ] && { file "$d/dm/name"; device=/dev/${d##*/}; }
    done ;;
  esac
  case $device in /dev/*/* | [!/]*) return ;; esac
  follow "${device#/dev/}"
  for fs in /sys/fs/btrfs/*/devices; do
    [ -e "$fs/${device#/dev/}" ] || continue
    ls -1A "$fs" | record members:/ ok
    for member in $(ls -1 "$fs"); do follow "$member"; done
  done
}

linux() {
  for f in /proc/sys/kernel/hostname /proc/sys/kernel/arch /etc/os-release /usr/lib/os-release /etc/locale.conf /etc/default/locale /proc/meminfo /proc/cpuinfo /run/systemd/container /var/lib/update-notifier/updates-available; do file $f; done
  # Of the name service switch, the line of accounts alone.
  if [ -r /etc/nsswitch.conf ]; then sed -n '/^[[:space:]]*passwd:/{s/#.*//;p;q;}' /etc/nsswitch.conf | record /etc/nsswitch.conf ok; else missing /etc/nsswitch.conf /etc/nsswitch.conf; fi
  for f in /.dockerenv /run/.containerenv /run/reboot-required /system-update /etc/sssd/sssd.conf /etc/krb5.keytab; do mark $f; done
  head_of head:/sbin/init /sbin/init 64
  cpu=/sys/devices/system/cpu
  names $cpu; file $cpu/present; file $cpu/cpu0/cpufreq/base_frequency; file $cpu/cpu0/cpufreq/bios_limit
  for c in $cpu/cpu[0-9]*; do
    t=$c/topology; file "$t/physical_package_id"; file "$t/thread_siblings_list"
    case $(cat "$t/physical_package_id" 2>/dev/null) in -*) file "$t/core_siblings_list" ;; esac
    [ -e "$t/thread_siblings_list" ] || { file "$t/thread_siblings"; file "$t/core_siblings"; }
  done
  head_of /sys/firmware/dmi/tables/DMI /sys/firmware/dmi/tables/DMI 1048576
  file /sys/firmware/dmi/tables/smbios_entry_point
  for n in sys_vendor product_name product_serial product_uuid chassis_type chassis_asset_tag board_vendor board_name board_serial bios_vendor bios_version bios_date; do file /sys/class/dmi/id/$n; done
  tree=/sys/firmware/devicetree/base
  file $tree/model
  if [ -r $tree/model ]; then
    file $tree/serial-number; file $tree/chassis-type; names $tree/cpus
    for c in $tree/cpus/cpu@*; do [ -e "$c" ] && file "$c/compatible"; done
  fi
  names /sys/firmware/efi
  if [ -d /sys/firmware/efi ]; then
    file /sys/firmware/efi/fw_platform_size
    vars=/sys/firmware/efi/efivars; global=8be4df61-93ca-11d2-aa0d-00e098032b8c
    names $vars
    for n in SecureBoot SetupMode BootOrder BootCurrent; do file $vars/$n-$global; done
    for v in $vars/Boot[0-9A-F][0-9A-F][0-9A-F][0-9A-F]-$global; do [ -e "$v" ] && file "$v"; done
  fi
  names /sys/class/tpm
  for t in /sys/class/tpm/tpm*; do
    [ -e "$t" ] && for n in tpm_version_major device/enabled device/active device/caps; do file "$t/$n"; done
  done
  # Of the firmware's settings, the names, and the values of those that the collector knows.
  class=/sys/class/firmware-attributes
  names $class
  for i in $class/*; do
    [ -d "$i" ] || continue
    names "$i/attributes"; names "$i/authentication"
    for a in "$i"/attributes/*; do
      case $(basename "$a" | tr '[:upper:]' '[:lower:]' | tr -cd 'a-z0-9') in
      secureboot*|tpm*|trustedplatformmodule|security*|csm*|compatibility*|legacy*)
        for n in type current_value possible_values; do file "$a/$n"; done ;;
      esac
    done
    for w in "$i"/authentication/*; do for n in role is_enabled; do file "$w/$n"; done; done
  done
  names /sys/firmware/acpi/tables
  for n in TPM2 TCPA; do file /sys/firmware/acpi/tables/$n; done
  # Of the mounts only the root's and that of the firmware's variables: others can hold names of people and files.
  root=$(awk '$5 == "/"' /proc/self/mountinfo | tail -n 1)
  variables=$(grep ' - efivarfs ' /proc/self/mountinfo | tail -n 1)
  printf '%s\n%s\n' "$root" "$variables" | record /proc/self/mountinfo ok
  stat -f -c 'unit=%S blocks=%b free=%a' / 2>/dev/null | record statfs:/ ok
  number=$(printf '%s' "$root" | awk '{print $3}')
  target "/sys/dev/block/$number"
  if [ -L "/sys/dev/block/$number" ]; then follow "$(basename "$(readlink "/sys/dev/block/$number")")"; else named "$root"; fi
  names /sys/block
  for d in $(ls -1 /sys/block 2>/dev/null); do
    target "/sys/block/$d"
    case $(readlink "/sys/block/$d") in
    */virtual/*) file "/sys/block/$d/dm/uuid"; file "/sys/block/$d/md/level"; continue ;;
    esac
    for n in size removable dev queue/rotational queue/logical_block_size device/model device/type; do file "/sys/block/$d/$n"; done
    head_of "sectors:/dev/$d" "/dev/$d" 40960
    file "/run/udev/data/b$(cat "/sys/block/$d/dev" 2>/dev/null)"
  done
  names /sys/class/net
  for i in /sys/class/net/*; do file "$i/operstate"; done
  names /sys/bus/pci/devices
  for p in /sys/bus/pci/devices/*; do
    [ -e "$p" ] && { for n in class vendor device; do file "$p/$n"; done; target "$p/driver"; }
  done
  names /sys/class/drm
  for c in /sys/class/drm/*-*; do [ -e "$c" ] && { file "$c/status"; file "$c/edid"; }; done
  names /sys/class/power_supply
  for p in /sys/class/power_supply/*; do
    [ -e "$p" ] && for n in type scope online capacity energy_full energy_full_design charge_full charge_full_design; do file "$p/$n"; done
  done
}

tool() { # SOURCE TOOL ARGUMENTS…: one of the system's own tools
  source=$1; shift
  if [ -x "$1" ]; then out=$("$@" 2>/dev/null </dev/null) && printf '%s' "$out" | record "$source" ok; else record "$source" not-exposed </dev/null; fi
}
says_any() { # SOURCE TOOL ARGUMENTS…: only whether it says something
  source=$1; shift
  if out=$("$@" 2>/dev/null </dev/null); then
    if [ -n "$out" ]; then record "$source" ok </dev/null; else record "$source" absent </dev/null; fi
  else record "$source" not-exposed </dev/null; fi
}
pick() { # PROPERTY-LIST KEY…: these keys of it, as JSON
  list=$1; shift; sep=; printf '{'
  for key in "$@"; do
    value=$(/usr/libexec/PlistBuddy -c "Print :$key" "$list" 2>/dev/null) || continue
    case $value in
    *[!0-9]* | '') [ "$value" = true ] || [ "$value" = false ] || value="\"$(printf %s "$value" | tr -d '"\\\n')\"" ;;
    esac
    printf '%s"%s":%s' "$sep" "${key##*:}" "$value"; sep=,
  done
  printf '}'
}
of_tool() { # SOURCE KEYS TOOL ARGUMENTS…: keys of a tool's property list
  source=$1 keys=$2; shift 2
  if "$@" >"$work" 2>/dev/null </dev/null; then pick "$work" $keys | record "$source" ok; else record "$source" not-exposed </dev/null; fi
}

mac() {
  work=$(mktemp "${TMPDIR:-/tmp}/rolltop.XXXXXX") || exit 1
  trap 'rm -f "$work"' EXIT
  for n in kern.hostname kern.osversion hw.model hw.memsize hw.packages hw.physicalcpu_max hw.logicalcpu_max hw.cpufrequency_max hw.optional.arm64 machdep.cpu.brand_string \
    machdep.cpu.vendor machdep.cpu.family machdep.cpu.model machdep.cpu.stepping machdep.cpu.features machdep.cpu.leaf7_features machdep.cpu.extfeatures; do
    value=$(sysctl -n $n 2>/dev/null) && printf '%s' "$value" | record "sysctl -n $n" ok
  done
  version=/System/Library/CoreServices/SystemVersion.plist
  pick $version ProductName ProductVersion ProductBuildVersion | record $version ok
  updates=/Library/Preferences/com.apple.SoftwareUpdate.plist
  if [ -r $updates ]; then pick $updates LastUpdatesAvailable | record $updates ok; fi
  io=/usr/sbin/ioreg disk=/usr/sbin/diskutil
  of_tool "tool:$io -a -rd1 -c IOPlatformExpertDevice" "0:IOPlatformSerialNumber 0:IOPlatformUUID" $io -a -rd1 -c IOPlatformExpertDevice
  of_tool "tool:$io -a -rn AppleSmartBattery" "0:BatteryInstalled 0:CurrentCapacity 0:MaxCapacity 0:DesignCapacity 0:ExternalConnected" $io -a -rn AppleSmartBattery
  of_tool "tool:$disk info -plist /" "APFSContainerFree APFSContainerSize FreeSpace TotalSize FilesystemType ParentWholeDisk" $disk info -plist /
  vault=/usr/bin/fdesetup
  says_any "tool:$vault list" $vault list
  for a in status haspersonalrecoverykey hasinstitutionalrecoverykey; do tool "tool:$vault $a" $vault $a; done
  tool "tool:/usr/bin/profiles status -type enrollment" /usr/bin/profiles status -type enrollment
}

rights=false; [ "$(id -u)" = 0 ] && rights=true
case $(uname -s) in
Linux) platform=linux read_it=linux ;;
Darwin) platform=macos read_it=mac ;;
*) echo "collect.sh: this reads Linux and macOS; for Windows take collect.ps1" >&2; exit 1 ;;
esac
printf '{"format": "rolltop-capture/1", "taken_at": "%s", "version": "collect.sh", "platform": "%s", "elevated": %s, "duration_ms": 0, "records": [\n' "$(date -u +%Y-%m-%dT%H:%M:%SZ)" $platform $rights
$read_it | sed '$ s/,$//'
echo ']}'
