// buoyctl of the Brackwater Tide Office: a made-up tool for Wagon Yard's tests on Windows. It comes in a package of Windows
// Installer.
#include <stdio.h>
#include <string.h>

int main(int count, char **words) {
  if (count > 1 && strcmp(words[1], "--version") == 0) {
    puts("buoyctl 2.4.0");
    return 0;
  }
  fputs("usage: buoyctl --version\n", stderr);
  return 2;
}
