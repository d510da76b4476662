// Includes a header the way a source file in the room "readings" would.
#include HEADER
