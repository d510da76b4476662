// Links a whole room: fails if it needs anything but the rooms below.
int main() { return 0; }
