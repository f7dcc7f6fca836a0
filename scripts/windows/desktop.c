// Holds Wine's desktop open. Whoever first sends a message to all windows would else start the desktop's process, which
// then holds that one's output open, and a test that reads it to its end waits for ever.
#include <windows.h>

int main(void) {
  GetDesktopWindow();
  Sleep(INFINITE);
}
