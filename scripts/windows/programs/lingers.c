/* What a program that is tried must not be able to do. Asked for its version it leaves a process behind that writes
   PLACE.later, writes to every open file that it has, and notes in PLACE.window whether it has a console to be seen.
   "hold FILE PROGRAM ARGUMENT..." starts a program with FILE open, for it and for all that it starts. */
#include <stdio.h>
#include <string.h>
#include <windows.h>

static char place[4096];

static void note(const char *ending, const char *text)
{
    char name[4200];
    snprintf(name, sizeof name, "%s.%s", place, ending);
    FILE *file = fopen(name, "a");
    if (file) {
        fputs(text, file);
        fclose(file);
    }
}

static int start(char *line, BOOL inherits, DWORD flags, BOOL waits)
{
    STARTUPINFOA how = { sizeof how };
    PROCESS_INFORMATION started;
    DWORD code = 0;
    if (!CreateProcessA(NULL, line, NULL, NULL, inherits, flags, NULL, NULL, &how, &started))
        return -1;
    if (waits) {
        WaitForSingleObject(started.hProcess, INFINITE);
        GetExitCodeProcess(started.hProcess, &code);
    }
    return (int)code;
}

static int hold(int count, char **arguments)
{
    static char line[32768];
    SECURITY_ATTRIBUTES open = { sizeof open, NULL, TRUE };
    HANDLE held = CreateFileA(arguments[2], GENERIC_WRITE, FILE_SHARE_READ | FILE_SHARE_WRITE, &open, CREATE_ALWAYS, 0, NULL);
    if (held == INVALID_HANDLE_VALUE)
        return 70;
    for (int at = 3; at < count; at++)
        snprintf(line + strlen(line), sizeof line - strlen(line), "\"%s\" ", arguments[at]);
    return start(line, TRUE, 0, TRUE);
}

static void break_out(void)
{
    char line[4200];
    DWORD written, detached = DETACHED_PROCESS | CREATE_NEW_PROCESS_GROUP;
    snprintf(line, sizeof line, "\"%s\" later", place);
    if (start(line, FALSE, detached | CREATE_BREAKAWAY_FROM_JOB, FALSE) != 0)
        start(line, FALSE, detached, FALSE);
    for (ULONG_PTR at = 4; at < 0x4000; at += 4)
        if (GetFileType((HANDLE)at) == FILE_TYPE_DISK)
            WriteFile((HANDLE)at, "reached", 7, &written, NULL);
    HWND window = GetConsoleWindow();
    note("window", window && IsWindowVisible(window) ? "seen" : "none");
}

int main(int count, char **arguments)
{
    GetModuleFileNameA(NULL, place, sizeof place);
    if (count > 3 && !strcmp(arguments[1], "hold"))
        return hold(count, arguments);
    if (count == 2 && !strcmp(arguments[1], "later")) {
        note("left", "");
        Sleep(5000);
        note("later", "still there");
    }
    if (count == 2 && !strcmp(arguments[1], "--version")) {
        char left[4200];
        break_out();
        snprintf(left, sizeof left, "%s.left", place);
        for (int at = 0; at < 50 && GetFileAttributesA(left) == INVALID_FILE_ATTRIBUTES; at++)
            Sleep(100);
        puts("lingers 1.0");
    }
    return 0;
}
