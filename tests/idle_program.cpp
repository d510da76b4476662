// A program that waits until it is ended.
#include <unistd.h>

int main() { return ::pause(); }
