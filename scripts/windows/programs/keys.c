/* keys dump: prints the values of the system's and the user's environment key, raw.
 * keys set FILE: makes both keys what such a dump says, whatever they hold.
 * keys append system|user TEXT: puts an entry behind Path, whatever its type, as another program would.
 * keys write FILE SECONDS COUNT: so many writers append entries to the user's Path, one at a time; FILE gets what they
 * appended. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <windows.h>

static const char *SYSTEM_KEY = "SYSTEM\\CurrentControlSet\\Control\\Session Manager\\Environment";

static HKEY open_key(int of_system)
{
    HKEY key;
    LONG failed = of_system ? RegCreateKeyExA(HKEY_LOCAL_MACHINE, SYSTEM_KEY, 0, NULL, 0, KEY_ALL_ACCESS, NULL, &key, NULL)
                            : RegCreateKeyExA(HKEY_CURRENT_USER, "Environment", 0, NULL, 0, KEY_ALL_ACCESS, NULL, &key, NULL);
    if (failed)
        exit(3);
    return key;
}

static void dump(int of_system)
{
    static WCHAR name[16384];
    static BYTE bytes[1 << 17];
    HKEY key = open_key(of_system);
    for (DWORD at = 0;; at++) {
        DWORD name_length = 16384, length = sizeof bytes, type = 0;
        if (RegEnumValueW(key, at, name, &name_length, NULL, &type, bytes, &length))
            break;
        printf("%c ", of_system ? 'S' : 'U');
        for (DWORD i = 0; i < name_length; i++)
            printf("%04x", name[i]);
        printf(" %lu ", (unsigned long)type);
        for (DWORD i = 0; i < length; i++)
            printf("%02x", bytes[i]);
        printf("\n");
    }
    RegCloseKey(key);
}

static BYTE digit(char c) { return (BYTE)(c <= '9' ? c - '0' : c - 'a' + 10); }

static void clear(int of_system)
{
    WCHAR name[16384];
    HKEY key = open_key(of_system);
    for (;;) {
        DWORD length = 16384;
        if (RegEnumValueW(key, 0, name, &length, NULL, NULL, NULL, NULL) || RegDeleteValueW(key, name))
            break;
    }
    RegCloseKey(key);
}

static int set(const WCHAR *file)
{
    static char line[1 << 18], name_digits[1 << 16], byte_digits[1 << 18];
    static WCHAR name[16384];
    static BYTE bytes[1 << 17];
    FILE *dumped = _wfopen(file, L"r");
    if (!dumped)
        return 2;
    clear(0);
    clear(1);
    while (fgets(line, sizeof line, dumped)) {
        char mark;
        unsigned long type;
        byte_digits[0] = 0;
        if (sscanf(line, "%c %s %lu %s", &mark, name_digits, &type, byte_digits) < 3)
            continue;
        size_t length = strlen(name_digits) / 4, count = strlen(byte_digits) / 2;
        for (size_t i = 0; i < length; i++)
            name[i] = (WCHAR)(digit(name_digits[4 * i]) << 12 | digit(name_digits[4 * i + 1]) << 8 |
                              digit(name_digits[4 * i + 2]) << 4 | digit(name_digits[4 * i + 3]));
        name[length] = 0;
        for (size_t i = 0; i < count; i++)
            bytes[i] = (BYTE)(digit(byte_digits[2 * i]) << 4 | digit(byte_digits[2 * i + 1]));
        HKEY key = open_key(mark == 'S');
        if (RegSetValueExW(key, name, 0, type, bytes, (DWORD)count))
            return 3;
        RegCloseKey(key);
    }
    fclose(dumped);
    return 0;
}

static int append(int of_system, const WCHAR *text)
{
    static WCHAR value[1 << 16];
    DWORD type = REG_SZ, length = sizeof value;
    HKEY key = open_key(of_system);
    memset(value, 0, sizeof value);
    if (RegQueryValueExW(key, L"Path", NULL, &type, (BYTE *)value, &length))
        type = REG_SZ;
    if (value[0])
        wcscat(value, L";");
    wcscat(value, text);
    LONG failed = RegSetValueExW(key, L"Path", 0, type, (const BYTE *)value, (DWORD)(wcslen(value) + 1) * sizeof(WCHAR));
    RegCloseKey(key);
    return failed != 0;
}

static CRITICAL_SECTION lock;
static FILE *written;
static DWORD ends;

static DWORD WINAPI writer(void *number)
{
    for (int at = 0; GetTickCount() < ends; at++) {
        WCHAR text[64];
        swprintf(text, 64, L"C:\\w%d\\%d", (int)(INT_PTR)number, at);
        EnterCriticalSection(&lock);
        if (append(0, text) == 0)
            fprintf(written, "%ls\n", text);
        LeaveCriticalSection(&lock);
        Sleep(2000);
    }
    return 0;
}

int wmain(int count, WCHAR **arguments)
{
    if (count == 2 && !wcscmp(arguments[1], L"dump")) {
        dump(1);
        dump(0);
        return 0;
    }
    if (count == 3 && !wcscmp(arguments[1], L"set"))
        return set(arguments[2]);
    if (count == 4 && !wcscmp(arguments[1], L"append"))
        return append(!wcscmp(arguments[2], L"system"), arguments[3]);
    if (count == 5 && !wcscmp(arguments[1], L"write")) {
        HANDLE threads[16];
        int many = _wtoi(arguments[4]);
        if (many < 1 || many > 16 || !(written = _wfopen(arguments[2], L"w")))
            return 2;
        InitializeCriticalSection(&lock);
        ends = GetTickCount() + 1000 * (DWORD)_wtoi(arguments[3]);
        for (int i = 0; i < many; i++)
            threads[i] = CreateThread(NULL, 0, writer, (void *)(INT_PTR)i, 0, NULL);
        WaitForMultipleObjects((DWORD)many, threads, TRUE, INFINITE);
        return fclose(written) != 0;
    }
    return 2;
}
