/* What services of the system answer that the emulation does not have, as its published headers declare it: objects that
 * tell of the encryption of the system volume and of updates, the accounts that the machine keeps, and the log of events.
 * The answers are in the environment; without one, the service is not there. A name that the published type library of an
 * interface, or the published header of updates, does not have is unknown. Names within a class have no header. */
#define COBJMACROS
#define INITGUID
#include <stddef.h>
#include <stdlib.h>
#include <stdio.h>
#include <string.h>
#include <wchar.h>
#include <windows.h>
#include <lm.h>
#include <oleauto.h>
#include <wbemdisp.h>
#include <winevt.h>
#include <wuapi.h>

DEFINE_GUID(LIBID_Scripting, 0x565783c6, 0xcb41, 0x11d1, 0x8b, 0x02, 0x00, 0x60, 0x08, 0x06, 0xd9, 0xb6);
DEFINE_GUID(CLSID_Locator, 0x76a64158, 0xcb41, 0x11d1, 0x8b, 0x02, 0x00, 0x60, 0x08, 0x06, 0xd9, 0xb6);

#define INVALID_NAMESPACE ((HRESULT)0x8004100E)
#define INVALID_CLASS ((HRESULT)0x80041010)
#define NOT_ENCRYPTED 0x80310008 /* what a method returns for a volume that is not encrypted */
#define PROTECTOR_TYPES 10

enum kind {
    LOCATOR, SERVICES, FOUND, VOLUME, METHODS, METHOD, PARAMETERS, SAID, NAMESPACE, SETTING, SESSION, SEARCHER, RESULT,
    UPDATES
};

struct object {
    const IDispatchVtbl *v;
    LONG refs;
    enum kind kind;
    int method; /* of PARAMETERS and SAID: the name that it belongs to; of FOUND: what was asked for */
    LONG number;
    const char *text;
};

enum name {
    CONNECT, QUERY, COUNT, ITEM_INDEX, EXEC, ALL_METHODS, ITEM, IN_PARAMETERS, SPAWN, PROTECTOR_TYPE, RETURN_VALUE,
    CONVERSION, PROTECTION, PROTECTOR_IDS, NAMESPACE_NAME, ATTRIBUTE, CURRENT, POSSIBLE, READ_ONLY,
    CREATE_SEARCHER, ONLINE, SEARCH, FOUND_UPDATES, UPDATE_COUNT
};

/* What each kind of object has. Those with an interface are looked up in the published type library, too. */
static const struct { enum kind of; const WCHAR *name; const IID *in; } names[] = {
    [CONNECT] = {LOCATOR, L"ConnectServer", &IID_ISWbemLocator},
    [QUERY] = {SERVICES, L"ExecQuery", &IID_ISWbemServices},
    [COUNT] = {FOUND, L"Count", &IID_ISWbemObjectSet},
    [ITEM_INDEX] = {FOUND, L"ItemIndex", &IID_ISWbemObjectSet},
    [EXEC] = {VOLUME, L"ExecMethod_", &IID_ISWbemObject},
    [ALL_METHODS] = {VOLUME, L"Methods_", &IID_ISWbemObject},
    [ITEM] = {METHODS, L"Item", &IID_ISWbemMethodSet},
    [IN_PARAMETERS] = {METHOD, L"InParameters", &IID_ISWbemMethod},
    [SPAWN] = {PARAMETERS, L"SpawnInstance_", &IID_ISWbemObject},
    [PROTECTOR_TYPE] = {PARAMETERS, L"KeyProtectorType"},
    [RETURN_VALUE] = {SAID, L"ReturnValue"},
    [CONVERSION] = {SAID, L"ConversionStatus"},
    [PROTECTION] = {SAID, L"ProtectionStatus"},
    [PROTECTOR_IDS] = {SAID, L"VolumeKeyProtectorID"},
    [NAMESPACE_NAME] = {NAMESPACE, L"Name"},
    [ATTRIBUTE] = {SETTING, L"AttributeName"},
    [CURRENT] = {SETTING, L"CurrentValue"},
    [POSSIBLE] = {SETTING, L"PossibleValues"},
    [READ_ONLY] = {SETTING, L"IsReadOnly"},
    [CREATE_SEARCHER] = {SESSION, L"CreateUpdateSearcher"},
    [ONLINE] = {SEARCHER, L"Online"},
    [SEARCH] = {SEARCHER, L"Search"},
    [FOUND_UPDATES] = {RESULT, L"Updates"},
    [UPDATE_COUNT] = {UPDATES, L"Count"},
};

/* The emulation has no type library of updates: their names are held against the published header here. */
_Static_assert(offsetof(IUpdateSessionVtbl, CreateUpdateSearcher) && offsetof(IUpdateSearcherVtbl, put_Online) &&
    offsetof(IUpdateSearcherVtbl, Search) && offsetof(ISearchResultVtbl, get_Updates) &&
    offsetof(IUpdateCollectionVtbl, get_Count), "names of updates");

/* LAB_VOLUME: how far it is encrypted, whether it protects, and the number of key protectors of each type. */
static int volume(int at)
{
    const char *s = getenv("LAB_VOLUME");
    for (; s && at > 0; at--)
        if ((s = strchr(s, ' ')))
            s++;
    return s ? atoi(s) : 0;
}

static HRESULT STDMETHODCALLTYPE query(IDispatch *this, REFIID iid, void **out)
{
    *out = NULL;
    if (!IsEqualGUID(iid, &IID_IUnknown) && !IsEqualGUID(iid, &IID_IDispatch))
        return E_NOINTERFACE;
    *out = this;
    IDispatch_AddRef(this);
    return S_OK;
}

static ULONG STDMETHODCALLTYPE addref(IDispatch *this)
{
    return InterlockedIncrement(&((struct object *)this)->refs);
}

static ULONG STDMETHODCALLTYPE release(IDispatch *this)
{
    ULONG refs = InterlockedDecrement(&((struct object *)this)->refs);
    if (!refs)
        free(this);
    return refs;
}

static HRESULT STDMETHODCALLTYPE count(IDispatch *this, UINT *n)
{
    *n = 0;
    return S_OK;
}

static HRESULT STDMETHODCALLTYPE info(IDispatch *this, UINT i, LCID language, ITypeInfo **out)
{
    return E_NOTIMPL;
}

static int published(const IID *in, LPOLESTR name)
{
    ITypeLib *library;
    ITypeInfo *type;
    MEMBERID id;
    int has = 0;
    if (FAILED(LoadRegTypeLib(&LIBID_Scripting, 1, 2, LOCALE_NEUTRAL, &library)))
        return 0;
    if (SUCCEEDED(ITypeLib_GetTypeInfoOfGuid(library, in, &type))) {
        has = SUCCEEDED(ITypeInfo_GetIDsOfNames(type, &name, 1, &id));
        ITypeInfo_Release(type);
    }
    ITypeLib_Release(library);
    return has;
}

static HRESULT STDMETHODCALLTYPE ids(IDispatch *this, REFIID iid, LPOLESTR *list, UINT n, LCID language, DISPID *out)
{
    struct object *o = (struct object *)this;
    for (size_t i = 0; n == 1 && i < sizeof names / sizeof *names; i++)
        if (names[i].of == o->kind && !wcscmp(names[i].name, list[0]) &&
            (!names[i].in || published(names[i].in, list[0]))) {
            *out = (DISPID)i;
            return S_OK;
        }
    return DISP_E_UNKNOWNNAME;
}

static const IDispatchVtbl table;

static struct object *make(enum kind kind)
{
    struct object *o = calloc(1, sizeof *o);
    o->v = &table;
    o->refs = 1;
    o->kind = kind;
    return o;
}

static HRESULT give(VARIANT *out, struct object *o)
{
    V_VT(out) = VT_DISPATCH;
    V_DISPATCH(out) = (IDispatch *)o;
    return S_OK;
}

static HRESULT number(VARIANT *out, LONG n)
{
    V_VT(out) = VT_I4;
    V_I4(out) = n;
    return S_OK;
}

static int says(DISPPARAMS *p, UINT from_front, const WCHAR *text)
{
    VARIANT *v = p->cArgs > from_front ? &p->rgvarg[p->cArgs - 1 - from_front] : NULL;
    return v && V_VT(v) == VT_BSTR && !wcscmp(V_BSTR(v), text);
}

/* A method runs on the volume: it answers with its code and what it found. */
static HRESULT execute(DISPPARAMS *p, VARIANT *out)
{
    struct object *said = make(SAID);
    if (says(p, 0, L"GetConversionStatus") && p->cArgs == 1) {
        said->method = CONVERSION;
        said->number = volume(0);
    } else if (says(p, 0, L"GetProtectionStatus") && p->cArgs == 1) {
        said->method = PROTECTION;
        said->number = volume(1);
    } else if (says(p, 0, L"GetKeyProtectors") && p->cArgs == 2 && V_VT(&p->rgvarg[0]) == VT_DISPATCH &&
        ((struct object *)V_DISPATCH(&p->rgvarg[0]))->method == SPAWN) {
        LONG type = ((struct object *)V_DISPATCH(&p->rgvarg[0]))->number;
        said->method = PROTECTOR_IDS;
        for (LONG i = 1; i <= PROTECTOR_TYPES; i++)
            if (type == i || type == 0)
                said->number += volume(1 + i);
    } else {
        release((IDispatch *)said);
        return E_INVALIDARG;
    }
    return give(out, said);
}

static HRESULT identifiers(VARIANT *out, LONG n)
{
    V_VT(out) = VT_NULL;
    if (!n)
        return S_OK;
    V_VT(out) = VT_ARRAY | VT_VARIANT;
    V_ARRAY(out) = SafeArrayCreateVector(VT_VARIANT, 0, n);
    for (LONG i = 0; i < n; i++) {
        VARIANT id;
        V_VT(&id) = VT_BSTR;
        V_BSTR(&id) = SysAllocString(L"{11111111-0000-4000-8000-000000000002}");
        SafeArrayPutElement(V_ARRAY(out), &i, &id);
        VariantClear(&id);
    }
    return S_OK;
}

/* The namespaces, and what each has: volumes, namespaces below it, or settings. */
enum place { ROOT, ENCRYPTION, MAKER, FIRMWARE };

static const WCHAR *places[] = {
    [ROOT] = L"root", [ENCRYPTION] = L"root\\CIMV2\\Security\\MicrosoftVolumeEncryption", [MAKER] = L"root\\Plover",
    [FIRMWARE] = L"root\\Plover\\Firmware",
};

/* LAB_SETTINGS: name=present,one,other, with semicolons between. */
static const char *setting(LONG at)
{
    const char *s = getenv("LAB_SETTINGS");
    for (; s && *s && at > 0; at--)
        if ((s = strchr(s, ';')))
            s++;
    return s && *s ? s : NULL;
}

static HRESULT enter(DISPPARAMS *p, VARIANT *out)
{
    for (int i = 0; says(p, 0, L".") && i <= FIRMWARE; i++)
        if (says(p, 1, places[i]) && (i != ENCRYPTION || getenv("LAB_VOLUME"))) {
            struct object *services = make(SERVICES);
            services->number = i;
            return give(out, services);
        }
    return INVALID_NAMESPACE;
}

/* A class that a namespace does not have shows only when its objects are counted. */
static HRESULT ask(struct object *services, DISPPARAMS *p, VARIANT *out)
{
    struct object *found = make(FOUND);
    found->number = -1;
    if (says(p, 0, L"SELECT * FROM Win32_EncryptableVolume WHERE DriveLetter='C:'") && services->number == ENCRYPTION) {
        found->method = VOLUME;
        found->number = 1;
    } else if (says(p, 0, L"SELECT Name FROM __NAMESPACE")) {
        found->method = NAMESPACE;
        found->text = services->number == ROOT ? "Plover" : "Firmware";
        found->number = services->number == ROOT || services->number == MAKER;
    } else if (says(p, 0, L"SELECT * FROM CIM_BIOSEnumeration")) {
        found->method = SETTING;
        if (services->number == FIRMWARE && getenv("LAB_SETTINGS"))
            for (found->number = 0; setting(found->number); found->number++) {}
    }
    return give(out, found);
}

static HRESULT item(struct object *found, DISPPARAMS *p, VARIANT *out)
{
    struct object *made;
    LONG at = p->cArgs == 1 && V_VT(&p->rgvarg[0]) == VT_I4 ? V_I4(&p->rgvarg[0]) : -1;
    if (at < 0 || at >= found->number)
        return E_INVALIDARG;
    made = make(found->method);
    made->text = found->method == SETTING ? setting(at) : found->text;
    return give(out, made);
}

static BSTR wide(const char *s, size_t n)
{
    BSTR out = SysAllocStringLen(NULL, (UINT)n);
    for (size_t i = 0; i < n; i++)
        out[i] = (WCHAR)s[i];
    return out;
}

/* An array of the first values. */
static HRESULT texts(VARIANT *out, const char *values, int most)
{
    SAFEARRAY *array = SafeArrayCreateVector(VT_VARIANT, 0, most);
    for (LONG i = 0; i < most; i++) {
        VARIANT v;
        size_t n = strcspn(values, ",;");
        V_VT(&v) = VT_BSTR;
        V_BSTR(&v) = wide(values, n);
        SafeArrayPutElement(array, &i, &v);
        VariantClear(&v);
        values += n + (values[n] == ',');
    }
    V_VT(out) = VT_ARRAY | VT_VARIANT;
    V_ARRAY(out) = array;
    return S_OK;
}

static HRESULT run(struct object *o, DISPID id, DISPPARAMS *p, VARIANT *out)
{
    struct object *made;
    switch (id) {
    case CONNECT:
        return enter(p, out);
    case QUERY:
        return ask(o, p, out);
    case COUNT:
        return o->number < 0 ? INVALID_CLASS : number(out, o->number);
    case ITEM_INDEX:
        return item(o, p, out);
    case NAMESPACE_NAME:
    case ATTRIBUTE:
        V_VT(out) = VT_BSTR;
        V_BSTR(out) = wide(o->text, strcspn(o->text, "="));
        return S_OK;
    case CURRENT:
        return texts(out, strchr(o->text, '=') + 1, 1);
    case POSSIBLE:
        return texts(out, strchr(o->text, ',') + 1, 2);
    case READ_ONLY:
        V_VT(out) = VT_BOOL;
        V_BOOL(out) = VARIANT_FALSE;
        return S_OK;
    case EXEC:
        return execute(p, out);
    case ALL_METHODS:
        return give(out, make(METHODS));
    case ITEM:
        return says(p, 0, L"GetKeyProtectors") ? give(out, make(METHOD)) : E_INVALIDARG;
    case IN_PARAMETERS:
        return give(out, make(PARAMETERS));
    case SPAWN:
        made = make(PARAMETERS);
        made->method = SPAWN;
        return give(out, made);
    case PROTECTOR_TYPE:
        if (o->method != SPAWN || V_VT(&p->rgvarg[0]) != VT_I4)
            return E_INVALIDARG;
        o->number = V_I4(&p->rgvarg[0]);
        return S_OK;
    case RETURN_VALUE:
        return number(out, o->method == PROTECTOR_IDS && !volume(0) ? (LONG)NOT_ENCRYPTED : 0);
    case CONVERSION:
    case PROTECTION:
        return o->method == id ? number(out, o->number) : DISP_E_MEMBERNOTFOUND;
    case PROTECTOR_IDS:
        return o->method == id ? identifiers(out, o->number) : DISP_E_MEMBERNOTFOUND;
    case CREATE_SEARCHER:
        made = make(SEARCHER);
        made->number = 1; /* it asks outside until it is told not to */
        return give(out, made);
    case ONLINE:
        o->number = V_VT(&p->rgvarg[0]) != VT_BOOL || V_BOOL(&p->rgvarg[0]);
        return S_OK;
    case SEARCH:
        if (o->number || !getenv("LAB_UPDATES") || !says(p, 0, L"IsInstalled=0 and IsHidden=0 and Type='Software'"))
            return HRESULT_FROM_WIN32(ERROR_SERVICE_DISABLED);
        return give(out, make(RESULT));
    case FOUND_UPDATES:
        return give(out, make(UPDATES));
    case UPDATE_COUNT:
        return number(out, atoi(getenv("LAB_UPDATES")));
    }
    return DISP_E_MEMBERNOTFOUND;
}

static HRESULT STDMETHODCALLTYPE invoke(IDispatch *this, DISPID id, REFIID iid, LCID language, WORD flags,
    DISPPARAMS *p, VARIANT *out, EXCEPINFO *exception, UINT *wrong)
{
    HRESULT code = run((struct object *)this, id, p, out);
    if (SUCCEEDED(code) || !exception)
        return code;
    memset(exception, 0, sizeof *exception);
    exception->scode = code;
    return DISP_E_EXCEPTION;
}

static const IDispatchVtbl table = {query, addref, release, count, info, ids, invoke};

static HRESULT STDMETHODCALLTYPE factory_query(IClassFactory *this, REFIID iid, void **out)
{
    *out = this;
    return S_OK;
}

static ULONG STDMETHODCALLTYPE factory_refs(IClassFactory *this)
{
    return 1;
}

struct factory { const IClassFactoryVtbl *v; enum kind kind; };

static HRESULT STDMETHODCALLTYPE create(IClassFactory *this, IUnknown *outer, REFIID iid, void **out)
{
    IDispatch *made = (IDispatch *)make(((struct factory *)this)->kind);
    HRESULT code = query(made, iid, out);
    release(made);
    return code;
}

static HRESULT STDMETHODCALLTYPE lock(IClassFactory *this, BOOL on)
{
    return S_OK;
}

static const IClassFactoryVtbl factory_table = {factory_query, factory_refs, factory_refs, create, lock};
static struct factory factories[] = {{&factory_table, LOCATOR}, {&factory_table, SESSION}};

HRESULT WINAPI DllGetClassObject(REFCLSID class, REFIID iid, void **out)
{
    *out = &factories[IsEqualGUID(class, &CLSID_Locator) ? 0 : 1];
    return S_OK;
}

HRESULT WINAPI DllCanUnloadNow(void)
{
    return S_FALSE;
}

/* LAB_ACCOUNTS: l, v or o for each account: local, linked to the vendor, switched off. */
__declspec(dllexport) NET_API_STATUS WINAPI NetUserEnum(LPCWSTR server, DWORD level, DWORD filter, LPBYTE *buffer,
    DWORD most, LPDWORD got, LPDWORD all, LPDWORD resume)
{
    static WCHAR names_of[8][2];
    const char *accounts = getenv("LAB_ACCOUNTS");
    USER_INFO_20 *list;
    if (server || level != 20 || filter != FILTER_NORMAL_ACCOUNT || !accounts)
        return ERROR_INVALID_LEVEL;
    *got = *all = strlen(accounts);
    *buffer = calloc(*got + 1, sizeof *list);
    list = (USER_INFO_20 *)*buffer;
    for (DWORD i = 0; i < *got; i++) {
        names_of[i][0] = (WCHAR)('a' + i);
        list[i].usri20_name = names_of[i];
        list[i].usri20_full_name = L"Somebody";
        list[i].usri20_flags = UF_NORMAL_ACCOUNT | (accounts[i] == 'o' ? UF_ACCOUNTDISABLE : 0);
    }
    return NERR_Success;
}

__declspec(dllexport) NET_API_STATUS WINAPI NetUserGetInfo(LPCWSTR server, LPCWSTR name, DWORD level, LPBYTE *buffer)
{
    USER_INFO_24 *info;
    if (server || level != 24)
        return ERROR_INVALID_LEVEL;
    *buffer = calloc(1, sizeof *info);
    info = (USER_INFO_24 *)*buffer;
    info->usri24_internet_identity = getenv("LAB_ACCOUNTS")[name[0] - 'a'] == 'v';
    info->usri24_internet_principal_name = L"Somebody";
    return NERR_Success;
}

__declspec(dllexport) NET_API_STATUS WINAPI NetApiBufferFree(LPVOID buffer)
{
    free(buffer);
    return NERR_Success;
}

__declspec(dllexport) NET_API_STATUS WINAPI NetGetJoinInformation(LPCWSTR server, LPWSTR *name,
    PNETSETUP_JOIN_STATUS status)
{
    *name = calloc(1, sizeof **name);
    *status = NetSetupWorkgroupName;
    return NERR_Success;
}

/* LAB_BACKUP: when the last backup was finished, in seconds since 1970; empty where the log has no note of one. */
__declspec(dllexport) EVT_HANDLE WINAPI EvtQuery(EVT_HANDLE session, LPCWSTR path, LPCWSTR asked, DWORD flags)
{
    if (!getenv("LAB_BACKUP") || session || wcscmp(path, L"Microsoft-Windows-Backup") ||
        wcscmp(asked, L"*[System[EventID=4]]") || flags != (EvtQueryChannelPath | EvtQueryReverseDirection)) {
        SetLastError(ERROR_EVT_CHANNEL_NOT_FOUND);
        return NULL;
    }
    return (EVT_HANDLE)(UINT_PTR)1;
}

__declspec(dllexport) BOOL WINAPI EvtNext(EVT_HANDLE found, DWORD room, EVT_HANDLE *events, DWORD patience, DWORD flags,
    PDWORD got)
{
    *got = 0;
    if (found != (EVT_HANDLE)(UINT_PTR)1 || room != 1 || !*getenv("LAB_BACKUP")) {
        SetLastError(ERROR_NO_MORE_ITEMS);
        return FALSE;
    }
    events[(*got)++] = (EVT_HANDLE)(UINT_PTR)2;
    return TRUE;
}

__declspec(dllexport) EVT_HANDLE WINAPI EvtCreateRenderContext(DWORD n, LPCWSTR *paths, DWORD flags)
{
    if (n != 1 || wcscmp(paths[0], L"Event/System/TimeCreated/@SystemTime") || flags != EvtRenderContextValues) {
        SetLastError(ERROR_INVALID_PARAMETER);
        return NULL;
    }
    return (EVT_HANDLE)(UINT_PTR)3;
}

__declspec(dllexport) BOOL WINAPI EvtRender(EVT_HANDLE context, EVT_HANDLE event, DWORD flags, DWORD room, PVOID buffer,
    PDWORD used, PDWORD n)
{
    EVT_VARIANT *value = buffer;
    *used = sizeof *value;
    if (context != (EVT_HANDLE)(UINT_PTR)3 || event != (EVT_HANDLE)(UINT_PTR)2 || flags != EvtRenderEventValues ||
        room < sizeof *value) {
        SetLastError(ERROR_INSUFFICIENT_BUFFER);
        return FALSE;
    }
    value->FileTimeVal = (_atoi64(getenv("LAB_BACKUP")) + 11644473600ll) * 10000000;
    value->Type = EvtVarTypeFileTime;
    *n = 1;
    return TRUE;
}

__declspec(dllexport) BOOL WINAPI EvtClose(EVT_HANDLE h)
{
    return h != NULL;
}
