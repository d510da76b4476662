// Stores that get their name once they are whole.
#pragma once

#include <filesystem>
#include <functional>

namespace idlemeter::runs {

/// Makes a store that doesn't exist yet: `fill` gets the name of a file to make and to close, which gets its own name
/// afterwards. If `fill` throws, or the process is killed, there is no file of that name. Throws Error (exists) if
/// there is one already.
void make_store(const std::filesystem::path& file, const std::function<void(const std::filesystem::path&)>& fill);

}  // namespace idlemeter::runs
