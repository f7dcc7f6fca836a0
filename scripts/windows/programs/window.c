/* A program with a window, which would stay until somebody closes it. That it was started is seen by a file beside it. */
#include <windows.h>

int WINAPI WinMain(HINSTANCE own, HINSTANCE before, LPSTR line, int show)
{
    char path[4096];
    GetModuleFileNameA(NULL, path, 4000);
    lstrcatA(path, ".started");
    CloseHandle(CreateFileA(path, GENERIC_WRITE, 0, NULL, CREATE_ALWAYS, 0, NULL));
    Sleep(60000);
    return 0;
}
