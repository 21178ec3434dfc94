# Reads a Windows machine that the collector itself does not run on, by what
# every system with PowerShell 2 has, and writes a capture (rolltop-capture/1)
# to the file named. It changes nothing and sends nothing. Elsewhere,
#   rolltop-collect --from-capture FILE
# makes an inventory of it. Start it as an administrator to learn more.
#   powershell -ExecutionPolicy Bypass -File collect.ps1 capture.json
param([Parameter(Mandatory = $true)][string]$File)
$ErrorActionPreference = 'Stop'

Add-Type -Namespace Rolltop -Name Native -MemberDefinition @'
[DllImport("kernel32.dll", SetLastError = true)] public static extern uint GetSystemFirmwareTable(uint provider, uint id, byte[] buffer, uint size);
[DllImport("kernel32.dll", SetLastError = true)] public static extern bool GlobalMemoryStatusEx(byte[] status);
[DllImport("kernel32.dll", SetLastError = true)] public static extern bool GetPhysicallyInstalledSystemMemory(byte[] kib);
[DllImport("kernel32.dll", SetLastError = true)] public static extern bool GetLogicalProcessorInformationEx(uint relation, byte[] buffer, ref uint size);
[DllImport("kernel32.dll", SetLastError = true)] public static extern bool GetSystemPowerStatus(byte[] status);
[DllImport("kernel32.dll")] public static extern void GetNativeSystemInfo(byte[] info);
[DllImport("kernel32.dll", SetLastError = true)] public static extern bool GetFirmwareType(byte[] kind);
[DllImport("kernel32.dll", SetLastError = true, CharSet = CharSet.Unicode)] public static extern bool GetDiskFreeSpaceEx(string root, byte[] caller, byte[] size, byte[] free);
[DllImport("kernel32.dll", SetLastError = true, CharSet = CharSet.Unicode)] public static extern IntPtr CreateFile(string path, uint access, uint share, IntPtr security, uint how, uint flags, IntPtr template);
[DllImport("kernel32.dll", SetLastError = true)] public static extern bool DeviceIoControl(IntPtr device, uint code, byte[] input, uint inputSize, byte[] output, uint outputSize, ref uint got, IntPtr overlapped);
[DllImport("kernel32.dll")] public static extern bool CloseHandle(IntPtr handle);
[DllImport("ntdll.dll")] public static extern uint RtlGetVersion(byte[] version);
[DllImport("ntdll.dll")] public static extern uint NtQuerySystemInformation(int kind, byte[] buffer, uint size, IntPtr got);
[DllImport("netapi32.dll", CharSet = CharSet.Unicode)] public static extern uint NetGetJoinInformation(IntPtr server, out IntPtr name, out uint kind);
[DllImport("netapi32.dll")] public static extern uint NetApiBufferFree(IntPtr buffer);
[DllImport("tbs.dll")] public static extern uint Tbsi_GetDeviceInfo(uint size, byte[] info);
'@
$native = [Rolltop.Native]
$records = New-Object System.Collections.ArrayList

function Record([string]$source, [string]$outcome, [byte[]]$raw, [long]$code) {
    $text = ''
    if ($raw) { $text = [Convert]::ToBase64String($raw) }
    $name = $source.Replace('\', '\\').Replace('"', '\"')
    [void]$records.Add(('  {{"source": "{0}", "outcome": "{1}", "errno": {2}, "raw": "{3}"}}' -f $name, $outcome, $code, $text))
}
function Outcome([long]$code) {
    if ($code -eq 0) { return 'ok' }
    if (1, 50, 120, 127 -contains $code) { return 'not-exposed' }
    if (2, 3, 203, 2150121487 -contains $code) { return 'absent' }
    if (5, 1314 -contains $code) { return 'denied' }
    'failed'
}
# Ask SOURCE { bytes, or an error with the code that the system gave }
function Ask([string]$source, [scriptblock]$how) {
    try { Record $source 'ok' (& $how) 0 }
    catch [System.Management.Automation.MethodInvocationException] { Record $source 'not-exposed' $null 127 }
    catch { $code = 0; if (-not [long]::TryParse($_.Exception.Message, [ref]$code)) { $code = 1359 }; Record $source (Outcome $code) $null $code }
}
function LastError { throw [string][Runtime.InteropServices.Marshal]::GetLastWin32Error() }
function Bytes([int]$n) { , (New-Object byte[] $n) }
function U32([uint32]$n) { , [BitConverter]::GetBytes($n) }
function Text([string]$s) { , [Text.Encoding]::UTF8.GetBytes($s) }

# The registry: four bytes of type, then the data as the system keeps it.
$machine = [Microsoft.Win32.Registry]::LocalMachine
function Value([string]$key, [string]$name) {
    $source = "reg:$key!$name"
    try { $k = $machine.OpenSubKey($key) } catch { Record $source 'denied' $null 5; return }
    if (-not $k) { Record $source 'absent' $null 2; return }
    $v = $k.GetValue($name, $null, 'DoNotExpandEnvironmentNames')
    if ($v -eq $null) { Record $source 'absent' $null 2; return }
    $wide = [Text.Encoding]::Unicode
    switch ([string]$k.GetValueKind($name)) {
        'DWord' { Record $source 'ok' ((U32 4) + [BitConverter]::GetBytes([int]$v)) 0 }
        'QWord' { Record $source 'ok' ((U32 11) + [BitConverter]::GetBytes([long]$v)) 0 }
        'MultiString' { Record $source 'ok' ((U32 7) + $wide.GetBytes(($v -join "`0") + "`0`0")) 0 }
        'Binary' { Record $source 'ok' ((U32 3) + [byte[]]$v) 0 }
        default { Record $source 'ok' ((U32 1) + $wide.GetBytes([string]$v + "`0")) 0 }
    }
}
function Mark([string]$source, [string]$key) {
    try { if ($machine.OpenSubKey($key)) { Record $source 'ok' $null 0 } else { Record $source 'absent' $null 2 } } catch { Record $source 'denied' $null 5 }
}

Ask 'RtlGetVersion' { $b = Bytes 276; $b[0] = 20; $b[1] = 1; [void]$native::RtlGetVersion($b); $b[0..19] }
Ask 'GetNativeSystemInfo' { $b = Bytes 64; $native::GetNativeSystemInfo($b); $b[0..1] }
Ask 'GetSystemFirmwareTable:RSMB' { $n = $native::GetSystemFirmwareTable(0x52534D42, 0, $null, 0); if (-not $n) { LastError }; $b = Bytes $n; [void]$native::GetSystemFirmwareTable(0x52534D42, 0, $b, $n); $b }
foreach ($t in @{ TPM2 = 0x324D5054; TCPA = 0x41504354 }.GetEnumerator()) {
    Ask ('GetSystemFirmwareTable:ACPI/' + $t.Key) { $n = $native::GetSystemFirmwareTable(0x41435049, $t.Value, $null, 0); if (-not $n) { LastError }; $b = Bytes $n; [void]$native::GetSystemFirmwareTable(0x41435049, $t.Value, $b, $n); $b }
}
Ask 'GlobalMemoryStatusEx' { $b = Bytes 64; $b[0] = 64; if (-not $native::GlobalMemoryStatusEx($b)) { LastError }; $b }
Ask 'GetPhysicallyInstalledSystemMemory' { $b = Bytes 8; if (-not $native::GetPhysicallyInstalledSystemMemory($b)) { LastError }; $b }
Ask 'GetLogicalProcessorInformationEx' { $n = [uint32]65536; $b = Bytes $n; if (-not $native::GetLogicalProcessorInformationEx(0xFFFF, $b, [ref]$n)) { LastError }; $b[0..($n - 1)] }
Ask 'GetSystemPowerStatus' { $b = Bytes 12; if (-not $native::GetSystemPowerStatus($b)) { LastError }; $b }
Ask 'GetFirmwareType' { $b = Bytes 4; if (-not $native::GetFirmwareType($b)) { LastError }; $b }
foreach ($q in @{ 90 = 32; 145 = 2; 165 = 8 }.GetEnumerator()) {
    Ask ('NtQuerySystemInformation:' + $q.Key) { $b = Bytes $q.Value; $code = $native::NtQuerySystemInformation($q.Key, $b, $q.Value, [IntPtr]::Zero); if ($code) { throw '50' }; $b }
}
Ask 'Tbsi_GetDeviceInfo' { $b = Bytes 16; $code = $native::Tbsi_GetDeviceInfo(16, $b); if ($code) { throw [string]$code }; $b }
Ask 'NetGetJoinInformation' { $name = [IntPtr]::Zero; $kind = [uint32]0; $code = $native::NetGetJoinInformation([IntPtr]::Zero, [ref]$name, [ref]$kind); if ($code) { throw [string]$code }; [void]$native::NetApiBufferFree($name); U32 $kind }

function Control([string]$path, [uint32]$code, [byte[]]$in, [int]$size) {
    $h = $native::CreateFile($path, 0, 3, [IntPtr]::Zero, 3, 0, [IntPtr]::Zero)
    if ($h.ToInt64() -eq -1) { LastError }
    try {
        $b = Bytes $size; $got = [uint32]0; $n = 0; if ($in) { $n = $in.Length }
        if (-not $native::DeviceIoControl($h, $code, $in, $n, $b, $size, [ref]$got, [IntPtr]::Zero)) { LastError }
        $b[0..([Math]::Max(1, $got) - 1)]
    } finally { [void]$native::CloseHandle($h) }
}
$drive = $env:SystemRoot.Substring(0, 2)
Record 'GetSystemWindowsDirectory' 'ok' (Text $drive) 0
Ask 'IOCTL_VOLUME_GET_VOLUME_DISK_EXTENTS' { Control "\\.\$drive" 0x00560000 $null 776 }
Ask 'GetDiskFreeSpaceEx' { $a = Bytes 8; $b = Bytes 8; $c = Bytes 8; if (-not $native::GetDiskFreeSpaceEx("$drive\", $a, $b, $c)) { LastError }; $a + $b + $c }
Record 'GetVolumeInformation' 'ok' (Text (New-Object IO.DriveInfo $drive).DriveFormat) 0
# What protects the system volume, and how many keys of each type unlock it: never a key, nor the name of one.
Ask 'Win32_EncryptableVolume' {
    $where = 'root\CIMV2\Security\MicrosoftVolumeEncryption'
    try { $found = @(Get-WmiObject -Namespace $where -Class Win32_EncryptableVolume -Filter "DriveLetter='$drive'") }
    catch [System.Management.ManagementException] {
        if ($_.Exception.ErrorCode -eq 'AccessDenied') { throw '5' }
        if ('InvalidNamespace', 'InvalidClass' -contains $_.Exception.ErrorCode) { throw '50' }
        throw '1359'
    }
    if ($found.Count -ne 1) { throw '1168' }
    $volume = $found[0]; $lines = @()
    $said = $volume.GetConversionStatus()
    if ($said.ReturnValue -eq 0) { $lines += 'GetConversionStatus 0 ' + $said.ConversionStatus }
    $said = $volume.GetProtectionStatus()
    if ($said.ReturnValue -eq 0) { $lines += 'GetProtectionStatus 0 ' + $said.ProtectionStatus }
    foreach ($type in 0..10) {
        $said = $volume.GetKeyProtectors($type)
        if ($said.ReturnValue -ne 0) { continue }
        $keys = 0; if ($said.VolumeKeyProtectorID) { $keys = @($said.VolumeKeyProtectorID).Count }
        $lines += "GetKeyProtectors:$type 0 $keys"
    }
    Text ($lines -join "`n")
}
$disks = @()
foreach ($n in 0..31) {
    $path = "\\.\PhysicalDrive$n"
    $h = $native::CreateFile($path, 0, 3, [IntPtr]::Zero, 3, 0, [IntPtr]::Zero)
    if ($h.ToInt64() -eq -1) { continue }
    [void]$native::CloseHandle($h)
    $disks += $n
    Ask "disk:$n/STORAGE_DEVICE_DESCRIPTOR" {
        $b = Control $path 0x002D1400 (Bytes 12) 1024
        $at = [BitConverter]::ToUInt32($b, 24) # the serial number, which is not kept
        if ($at -ge 32) { for ($i = $at; $i -lt $b.Length -and $b[$i]; $i++) { $b[$i] = 0 } }
        24..27 | ForEach-Object { $b[$_] = 0 }
        $b
    }
    Ask "disk:$n/DEVICE_SEEK_PENALTY_DESCRIPTOR" { Control $path 0x002D1400 ((U32 7) + (Bytes 8)) 12 }
    Ask "disk:$n/DISK_GEOMETRY_EX" { Control $path 0x000700A0 $null 256 }
    Ask "disk:$n/DRIVE_LAYOUT_INFORMATION_EX" {
        $b = Control $path 0x00070050 $null 18480
        8..47 | ForEach-Object { $b[$_] = 0 } # what names the disk
        for ($e = 48; $e + 144 -le $b.Length; $e += 144) { ($e + 72)..($e + 143) | ForEach-Object { $b[$_] = 0 } } # names that people gave
        $b
    }
}
Record 'disks/' 'ok' (Text ($disks -join "`n")) 0

$nt = 'SOFTWARE\Microsoft\Windows NT\CurrentVersion'
foreach ($v in 'ProductName', 'EditionID', 'CurrentBuildNumber', 'UBR', 'DisplayVersion', 'ReleaseId', 'InstallationType') { Value $nt $v }
foreach ($v in 'SystemManufacturer', 'SystemProductName', 'BaseBoardManufacturer', 'BaseBoardProduct', 'BIOSVendor', 'BIOSVersion', 'BIOSReleaseDate') { Value 'HARDWARE\DESCRIPTION\System\BIOS' $v }
foreach ($v in 'ProcessorNameString', 'VendorIdentifier', 'Identifier', '~MHz') { Value 'HARDWARE\DESCRIPTION\System\CentralProcessor\0' $v }
Value 'SYSTEM\CurrentControlSet\Control\ComputerName\ComputerName' 'ComputerName'
$boot = 'SYSTEM\CurrentControlSet\Control\SecureBoot\State'
Value $boot 'UEFISecureBootEnabled'
Value 'SYSTEM\CurrentControlSet\Control\BitLockerStatus' 'BootStatus'
Value 'SYSTEM\CurrentControlSet\Control\Session Manager' 'PendingFileRenameOperations'
Value 'SYSTEM\CurrentControlSet\Control\Nls\Language' 'InstallLanguage'
$servicing = 'SOFTWARE\Microsoft\Windows\CurrentVersion\Component Based Servicing'
foreach ($k in $servicing, "$servicing\RebootPending", "$servicing\RebootInProgress", 'SOFTWARE\Microsoft\Windows\CurrentVersion\WindowsUpdate\Auto Update\RebootRequired', $boot) { Mark "reg:$k\" $k }

$me = New-Object Security.Principal.WindowsPrincipal ([Security.Principal.WindowsIdentity]::GetCurrent())
$rights = 'false'; if ($me.IsInRole([Security.Principal.WindowsBuiltInRole]::Administrator)) { $rights = 'true' }
$taken = [DateTime]::UtcNow.ToString('yyyy-MM-ddTHH:mm:ssZ')
$out = "{`"format`": `"rolltop-capture/1`", `"taken_at`": `"$taken`", `"version`": `"collect.ps1`", `"platform`": `"windows`", `"elevated`": $rights, `"duration_ms`": 0, `"records`": [`n" + ($records.ToArray() -join ",`n") + "`n]}`n"
[IO.File]::WriteAllText($ExecutionContext.SessionState.Path.GetUnresolvedProviderPathFromPSPath($File), $out, (New-Object Text.UTF8Encoding $false))
