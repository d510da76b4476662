// Includes a header as a source file of the room "readings" would.
#include HEADER
