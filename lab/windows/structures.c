/* Structures that the collector's decoders read, laid out by the system's published headers and filled in by the names
 * of their members: a line of source and bytes each. */
#include <winsock2.h>
#include <windows.h>
#include <winioctl.h>
#include <lmcons.h>
#include <lmjoin.h>
#include <slpublic.h>
#include <stddef.h>
#include <stdio.h>
#include <string.h>

static FILE *out;

static void put(const char *source, const void *bytes, size_t n)
{
    fprintf(out, "%s\t", source);
    for (size_t i = 0; i < n; i++)
        fprintf(out, "%02x", ((const unsigned char *)bytes)[i]);
    fputc('\n', out);
}

static void text(const char *source, const char *s)
{
    put(source, s, strlen(s));
}

static void machine(void)
{
    RTL_OSVERSIONINFOW version = {sizeof version, 11, 2, 4104, VER_PLATFORM_WIN32_NT};
    USHORT machines[2] = {IMAGE_FILE_MACHINE_UNKNOWN, IMAGE_FILE_MACHINE_AMD64};
    SYSTEM_INFO info = {0};
    FIRMWARE_TYPE firmware = FirmwareTypeUefi;
    SL_GENUINE_STATE licence = SL_GEN_STATE_IS_GENUINE;
    NETSETUP_JOIN_STATUS joined = NetSetupDomainName;
    MEMORYSTATUSEX memory = {sizeof memory};
    ULONGLONG fitted = 16777216; /* KiB */
    SYSTEM_POWER_STATUS power = {0};
    DISPLAYCONFIG_VIDEO_OUTPUT_TECHNOLOGY panel = DISPLAYCONFIG_OUTPUT_TECHNOLOGY_INTERNAL;
    info.wProcessorArchitecture = PROCESSOR_ARCHITECTURE_AMD64;
    memory.ullTotalPhys = 17013161984ull;
    power.ACLineStatus = 1;
    power.BatteryLifePercent = 84;
    put("RtlGetVersion", &version, offsetof(RTL_OSVERSIONINFOW, szCSDVersion));
    put("IsWow64Process2", machines, sizeof machines);
    put("GetNativeSystemInfo", &info.wProcessorArchitecture, sizeof info.wProcessorArchitecture);
    put("GetFirmwareType", &firmware, sizeof firmware);
    put("SLIsGenuineLocal", &licence, sizeof licence);
    put("NetGetJoinInformation", &joined, sizeof joined);
    put("GlobalMemoryStatusEx", &memory, sizeof memory);
    put("GetPhysicallyInstalledSystemMemory", &fitted, sizeof fitted);
    put("GetSystemPowerStatus", &power, sizeof power);
    text("devices/", "0");
    text("device:0", "name=Corvane network\n");
    text("displays/", "0");
    put("display:0/outputTechnology", &panel, sizeof panel);
}

static void topology(void)
{
    unsigned char all[1024] = {0};
    size_t n = 0;
    LOGICAL_PROCESSOR_RELATIONSHIP kinds[] = {RelationProcessorCore, RelationNumaNode, RelationProcessorCore,
        RelationProcessorPackage};
    for (int i = 0; i < 4; i++) {
        SYSTEM_LOGICAL_PROCESSOR_INFORMATION_EX *e = (void *)(all + n);
        e->Relationship = kinds[i];
        e->Size = offsetof(SYSTEM_LOGICAL_PROCESSOR_INFORMATION_EX, Processor) +
            offsetof(PROCESSOR_RELATIONSHIP, GroupMask) + sizeof(GROUP_AFFINITY);
        e->Processor.GroupCount = 1;
        e->Processor.GroupMask[0].Mask = i == 3 ? 15 : 3 << i; /* two threads of each core */
        n += e->Size;
    }
    put("GetLogicalProcessorInformationEx", all, n);
}

static void volume(void)
{
    VOLUME_DISK_EXTENTS extents = {0};
    ULARGE_INTEGER space[3]; /* free to the caller, size, free */
    extents.NumberOfDiskExtents = 1;
    extents.Extents[0].DiskNumber = 0;
    extents.Extents[0].StartingOffset.QuadPart = 1ll << 30;
    extents.Extents[0].ExtentLength.QuadPart = 200ll << 30;
    space[0].QuadPart = 5;
    space[1].QuadPart = 214748364800ull;
    space[2].QuadPart = 50000000000ull;
    text("GetSystemWindowsDirectory", "C:");
    put("IOCTL_VOLUME_GET_VOLUME_DISK_EXTENTS", &extents, sizeof extents);
    put("GetDiskFreeSpaceEx", space, sizeof space);
    text("GetVolumeInformation", "NTFS");
}

static void disk(void)
{
    unsigned char room[2048] = {0};
    STORAGE_DEVICE_DESCRIPTOR *what = (void *)room;
    DEVICE_SEEK_PENALTY_DESCRIPTOR seek = {sizeof seek, sizeof seek, FALSE};
    DISK_GEOMETRY_EX geometry = {0};
    what->Version = what->Size = sizeof *what;
    what->ProductIdOffset = sizeof *what;
    what->BusType = BusTypeNvme;
    strcpy((char *)room + sizeof *what, "Brannock NV");
    geometry.DiskSize.QuadPart = 256060514304ll;
    text("disks/", "0");
    put("disk:0/STORAGE_DEVICE_DESCRIPTOR", room, sizeof *what + 12);
    put("disk:0/DEVICE_SEEK_PENALTY_DESCRIPTOR", &seek, sizeof seek);
    put("disk:0/DISK_GEOMETRY_EX", &geometry, sizeof geometry);

    static const GUID esp = {0xc12a7328, 0xf81f, 0x11d2, {0xba, 0x4b, 0x00, 0xa0, 0xc9, 0x3e, 0xc9, 0x3b}};
    static const GUID data = {0xebd0a0a2, 0xb9e5, 0x4433, {0x87, 0xc0, 0x68, 0xb6, 0xb7, 0x26, 0x99, 0xc7}};
    memset(room, 0, sizeof room);
    DRIVE_LAYOUT_INFORMATION_EX *layout = (void *)room;
    layout->PartitionStyle = PARTITION_STYLE_GPT;
    layout->PartitionCount = 2;
    for (int i = 0; i < 2; i++) {
        PARTITION_INFORMATION_EX *p = &layout->PartitionEntry[i];
        p->PartitionStyle = PARTITION_STYLE_GPT;
        p->StartingOffset.QuadPart = (1ll << 20) + i * (1ll << 30);
        p->PartitionLength.QuadPart = i ? 200ll << 30 : 260ll << 20;
        p->PartitionNumber = i + 1;
        p->Gpt.PartitionType = i ? data : esp;
    }
    put("disk:0/DRIVE_LAYOUT_INFORMATION_EX", room,
        offsetof(DRIVE_LAYOUT_INFORMATION_EX, PartitionEntry) + 2 * sizeof(PARTITION_INFORMATION_EX));

    memset(room, 0, sizeof room);
    STORAGE_PROTOCOL_DATA_DESCRIPTOR *log = (void *)room;
    log->Version = log->Size = sizeof *log;
    log->ProtocolSpecificData.ProtocolType = ProtocolTypeNvme;
    log->ProtocolSpecificData.DataType = NVMeDataTypeLogPage;
    log->ProtocolSpecificData.ProtocolDataRequestValue = 2; /* health (NVM Express 2.0, figure 207) */
    log->ProtocolSpecificData.ProtocolDataOffset = sizeof log->ProtocolSpecificData;
    log->ProtocolSpecificData.ProtocolDataLength = 512;
    room[sizeof *log + 1] = 0x2D;
    room[sizeof *log + 2] = 0x01; /* 301 K */
    room[sizeof *log + 3] = 100;  /* percent of the spare blocks are left */
    room[sizeof *log + 4] = 10;
    room[sizeof *log + 5] = 7; /* percent of its rated life are used up */
    put("disk:0/STORAGE_PROTOCOL_DATA_DESCRIPTOR", room, sizeof *log + 512);
}

int main(int argc, char **argv)
{
    out = fopen(argv[1], "w");
    if (argc < 2 || !out)
        return 1;
    machine();
    topology();
    volume();
    disk();
    return fclose(out);
}
