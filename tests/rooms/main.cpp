// Links a whole room: what it lacks of the rooms below fails here.
int main() { return 0; }
