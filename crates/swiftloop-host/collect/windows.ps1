# Copies what this computer tells of itself into a folder copy-NAME, for: swiftloop survey --root, swiftloop check.
# It changes nothing and sends nothing. It reads:
#   system classes: OperatingSystem, ComputerSystem, Processor, BIOS, Battery, LogicalDisk, PerfProc_Process, PnPSignedDriver (sound)
#   powercfg: the plan in use, its processor and USB settings
#   registry: HKLM\SOFTWARE\ASIO (names of drivers), MMDevices\Audio (names, states and formats of sound devices)
#   registry: CurrentVersion\Run of the computer and of this user (only names: what starts with the system)
#   Get-PnpDevice: sound and USB devices that are present, and what each hangs on
$ErrorActionPreference = 'SilentlyContinue'
$name = $env:COMPUTERNAME -replace '[^A-Za-z0-9._-]', '_'
$out = "copy-$name/windows"
if (Test-Path "copy-$name") { Write-Error "copy-$name is there already"; exit 1 }
New-Item -ItemType Directory -Path $out | Out-Null
function Keep($file, $what) { $what | ConvertTo-Json -Depth 3 | Out-File -Encoding utf8 "$out/$file.json" }
$os = Get-CimInstance Win32_OperatingSystem
$cpu = Get-CimInstance Win32_Processor
$battery = Get-CimInstance Win32_Battery | Select-Object -First 1
$drive = (Get-Location).Drive.Name + ':'
$disk = Get-CimInstance Win32_LogicalDisk -Filter "DeviceID='$drive'"
Keep 'system' ([ordered]@{
  Name = $env:COMPUTERNAME; Version = $os.Version; Firmware = (Get-CimInstance Win32_BIOS).SMBIOSBIOSVersion
  Processor = ($cpu | Select-Object -First 1).Name
  Cores = ($cpu | Measure-Object NumberOfCores -Sum).Sum
  Threads = ($cpu | Measure-Object NumberOfLogicalProcessors -Sum).Sum
  MaxClockMHz = ($cpu | Select-Object -First 1).MaxClockSpeed; ClockMHz = ($cpu | Select-Object -First 1).CurrentClockSpeed
  MemoryKB = $os.TotalVisibleMemorySize; MemoryFreeKB = $os.FreePhysicalMemory
  BatteryStatus = $battery.BatteryStatus; DiskFreeBytes = $disk.FreeSpace
})
Keep 'programs' (Get-CimInstance Win32_PerfFormattedData_PerfProc_Process |
  Where-Object { $_.PercentProcessorTime -gt 1 } | Select-Object Name, PercentProcessorTime)
Keep 'drivers' (Get-CimInstance Win32_PnPSignedDriver |
  Where-Object { $_.DeviceClass -eq 'MEDIA' } | Select-Object DeviceName, DriverVersion)
Keep 'devices' (Get-PnpDevice -PresentOnly | Where-Object { $_.Class -in 'MEDIA', 'USB' } | ForEach-Object {
  [ordered]@{ Class = $_.Class; FriendlyName = $_.FriendlyName; InstanceId = $_.InstanceId
    Parent = (Get-PnpDeviceProperty -InstanceId $_.InstanceId -KeyName 'DEVPKEY_Device_Parent').Data }
})
& { powercfg /getactivescheme
  powercfg /query SCHEME_CURRENT 54533251-82be-4824-96c1-47b60b740d00
  powercfg /query SCHEME_CURRENT 2a737441-1930-4402-8d77-b2bebba308a3 } | Out-File -Encoding utf8 "$out/power.txt"
reg query HKLM\SOFTWARE\ASIO | Out-File -Encoding utf8 "$out/asio.txt"
& { reg query HKLM\SOFTWARE\Microsoft\Windows\CurrentVersion\MMDevices\Audio\Render /s
  reg query HKLM\SOFTWARE\Microsoft\Windows\CurrentVersion\MMDevices\Audio\Capture /s } |
  Select-String -Pattern '^HKEY_|DeviceState|f19f064d-082c-4e27-bc73-6882a1bb8e4c},0|b3f8fa53-0004-438e-9003-51a46e139bfc},6' |
  ForEach-Object { $_.Line } | Out-File -Encoding utf8 "$out/sound.txt"
& { reg query HKLM\SOFTWARE\Microsoft\Windows\CurrentVersion\Run
  reg query HKCU\SOFTWARE\Microsoft\Windows\CurrentVersion\Run } |
  ForEach-Object { $_ -replace '(REG_[A-Z_]+).*', '$1' } | Out-File -Encoding utf8 "$out/starting.txt"
Write-Output "copy-$name"
