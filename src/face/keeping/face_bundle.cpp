// Faces as ZIP archives, by libarchive.
#include "idlemeter/face/face_bundle.hpp"

#include <archive.h>
#include <archive_entry.h>

#include <algorithm>
#include <map>
#include <memory>

#include "base/png.hpp"
#include "face/format/toml_reader.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/kept_faces.hpp"

namespace idlemeter {
namespace {

using namespace base;
using namespace face;

namespace fs = std::filesystem;

constexpr std::size_t kLargestPart = limits::kPictureBytes, kLargestBundle = 64u << 20, kMostParts = 65;
constexpr const char* kFaceName = "face.toml";

/// What libarchive says is wrong; it doesn't always say.
std::string why(archive* zip) {
  const char* text = archive_error_string(zip);
  return text == nullptr ? "damaged" : text;
}

using Parts = std::map<std::string, std::string>;  // name -> content

/// Counts a picture's pixels; so that no decoder sees what isn't a picture, or is too large.
void check_png(std::string_view content, const std::string& where, std::size_t& pixels) {
  const auto size = png_size(content);
  if (!size) throw Error(Error::Code::invalid, "isn't a PNG", where, "a face shows PNG pictures");
  const auto [width, height] = *size;
  if (width == 0 || height == 0 || width > limits::kPictureSide || height > limits::kPictureSide)
    throw Error(Error::Code::invalid, fmt::format("has {} x {} pixels", width, height), where,
                fmt::format("up to {} a side are taken", limits::kPictureSide));
  pixels += width * height;
  if (pixels > limits::kFacePicturePixels)
    throw Error(Error::Code::invalid, fmt::format("has {} x {} pixels, too many", width, height), where,
                fmt::format("a face's pictures have up to {} million together", limits::kFacePicturePixels >> 20));
}

/// "art/fuel.png": down from a folder, nowhere else.
bool stays_inside(const std::string& name) {
  const fs::path path(name);
  const auto plain = [](const fs::path& part) { return part != ".." && part != "." && !part.empty(); };
  return !name.empty() && name.size() < 256 && name.find('\\') == std::string::npos &&
         name.find('\0') == std::string::npos && !path.is_absolute() && !path.has_root_path() &&
         std::all_of(path.begin(), path.end(), plain);
}

std::string read_part(const fs::path& file) {
  FileBytes read = read_regular_file(file, limits::kPictureBytes);
  if (!read.problem.empty())
    throw Error(Error::Code::unreadable, fmt::format("cannot read the picture ({})", read.problem), file.string(),
                "put it beside the face, or take it out of the face");
  return std::move(read.bytes);
}

void write_part(archive* zip, const std::string& name, const std::string& content, const std::string& where) {
  const std::unique_ptr<archive_entry, void (*)(archive_entry*)> entry(archive_entry_new(), &archive_entry_free);
  archive_entry_set_pathname(entry.get(), name.c_str());
  archive_entry_set_filetype(entry.get(), AE_IFREG);
  archive_entry_set_perm(entry.get(), 0644);
  archive_entry_set_size(entry.get(), static_cast<la_int64_t>(content.size()));
  const bool written =
      archive_write_header(zip, entry.get()) == ARCHIVE_OK &&
      archive_write_data(zip, content.data(), content.size()) == static_cast<la_ssize_t>(content.size());
  if (!written) throw Error(Error::Code::unwritable, fmt::format("cannot write the bundle ({})", why(zip)), where);
}

/// Reads one entry's content, within the limits.
std::string content_of(archive* zip, const std::string& name, const std::string& where, std::size_t& total) {
  std::string content;
  char buffer[64 * 1024];
  for (la_ssize_t got; (got = archive_read_data(zip, buffer, sizeof buffer)) != 0;) {
    if (got < 0) throw Error(Error::Code::invalid, fmt::format("'{}' in it is damaged ({})", name, why(zip)), where);
    content.append(buffer, static_cast<std::size_t>(got));
    total += static_cast<std::size_t>(got);
    if (content.size() > kLargestPart || total > kLargestBundle)
      throw Error(Error::Code::invalid, fmt::format("'{}' in it is too large", name), where,
                  "16 MiB each and 64 MiB in all are taken");
  }
  return content;
}

/// Throws Error if it isn't a file that stays within the folder.
std::string name_of(archive_entry* entry, const std::string& where) {
  const char* path = archive_entry_pathname(entry);
  std::string name = path == nullptr ? "" : path;
  if (archive_entry_filetype(entry) != AE_IFREG || !stays_inside(name))
    throw Error(Error::Code::invalid, fmt::format("'{}' in it isn't a plain file inside of a folder", name), where,
                "nothing was unpacked");
  return name;
}

Parts read_bundle(const fs::path& bundle) {
  const std::string where = bundle.string();
  const std::unique_ptr<archive, int (*)(archive*)> zip(archive_read_new(), &archive_read_free);
  archive_read_support_format_zip(zip.get());
  if (!fs::is_regular_file(bundle))
    throw Error(Error::Code::unreadable, "cannot read the bundle", where, "name a file");
  if (archive_read_open_filename(zip.get(), where.c_str(), 64 * 1024) != ARCHIVE_OK)
    throw Error(Error::Code::unreadable, fmt::format("isn't a bundle ({})", why(zip.get())), where,
                "name a packed face", Error::Hint::pack_face);
  Parts parts;
  std::size_t total = 0;
  archive_entry* entry = nullptr;
  int status = ARCHIVE_OK;
  while ((status = archive_read_next_header(zip.get(), &entry)) == ARCHIVE_OK) {
    const std::string name = name_of(entry, where);
    if (parts.size() == kMostParts)
      throw Error(Error::Code::invalid, "holds more than 64 pictures", where, "nothing was unpacked");
    if (!parts.emplace(name, content_of(zip.get(), name, where, total)).second)
      throw Error(Error::Code::invalid, fmt::format("'{}' is in it twice", name), where, "nothing was unpacked");
  }
  if (status != ARCHIVE_EOF)
    throw Error(Error::Code::unreadable, fmt::format("isn't a bundle, or a damaged one ({})", why(zip.get())), where);
  return parts;
}

/// The face reads, and the pictures are those that it shows.
void check_parts(const Parts& parts, const fs::path& bundle) {
  const std::string where = bundle.string();
  const auto text = parts.find(kFaceName);
  if (text == parts.end())
    throw Error(Error::Code::invalid, "holds no face.toml", where, "name a packed face", Error::Hint::pack_face);
  const FaceParse reading = parse_face(text->second);
  if (!reading.face) throw_findings(reading.findings, bundle / kFaceName);
  const auto pictures = pictures_of(*reading.face);
  for (const std::string& picture : pictures) {
    if (!parts.contains(picture))
      throw Error(Error::Code::invalid, fmt::format("the face shows '{}', which isn't in it", picture), where);
  }
  std::size_t pixels = 0;
  for (const auto& [name, content] : parts) {
    if (name == kFaceName) continue;
    if (std::find(pictures.begin(), pictures.end(), name) == pictures.end())
      throw Error(Error::Code::invalid, fmt::format("'{}' in it is nothing that the face shows", name), where,
                  "nothing was unpacked");
    check_png(content, (bundle / name).string(), pixels);
  }
}

}  // namespace

namespace {

[[noreturn]] void throw_unwritable(const fs::path& bundle, const std::string& why) {
  throw Error(Error::Code::unwritable, fmt::format("cannot write the bundle ({})", why), bundle.string(),
              "name a file in a folder that you may write to");
}

std::string zipped(const Parts& parts, const fs::path& bundle) {
  std::string bytes;
  const std::unique_ptr<archive, int (*)(archive*)> zip(archive_write_new(), &archive_write_free);
  archive_write_set_format_zip(zip.get());
  const auto take = [](archive*, void* into, const void* data, std::size_t size) {
    static_cast<std::string*>(into)->append(static_cast<const char*>(data), size);
    return static_cast<la_ssize_t>(size);
  };
  if (archive_write_open(zip.get(), &bytes, nullptr, take, nullptr) != ARCHIVE_OK)
    throw_unwritable(bundle, why(zip.get()));
  for (const auto& [name, content] : parts) write_part(zip.get(), name, content, bundle.string());
  if (archive_write_close(zip.get()) != ARCHIVE_OK) throw_unwritable(bundle, why(zip.get()));
  return bytes;
}

}  // namespace

void pack_face(const fs::path& face_file, const fs::path& bundle) {
  if (fs::exists(bundle))
    throw Error(Error::Code::exists, "already exists", bundle.string(), "name another file, or remove this one first");
  const Face face = load_face(face_file);
  Parts parts = {{kFaceName, read_toml_file(face_file, "face")}};
  std::size_t pixels = 0;
  for (const std::string& picture : pictures_of(face)) {
    const fs::path file = face_file.parent_path() / picture;
    check_png(parts.emplace(picture, read_part(file)).first->second, file.string(), pixels);
  }
  if (parts.size() > kMostParts) throw Error(Error::Code::invalid, "shows more than 64 pictures", face_file.string());
  if (const std::string problem = write_whole_file(bundle, zipped(parts, bundle)); !problem.empty())
    throw_unwritable(bundle, problem);
}

fs::path unpack_face(const fs::path& bundle, std::string_view name, const fs::path& folder) {
  expect_face_name(name);
  if (const auto taken = kept_face(name, folder))
    throw Error(Error::Code::exists, "already exists", taken->string(), "unpack it under another name");
  const Parts parts = read_bundle(bundle);
  check_parts(parts, bundle);
  const fs::path half = folder / fmt::format(".{}.part", name), whole = folder / name;
  std::error_code failed;
  fs::remove_all(half, failed);
  try {
    for (const auto& [part, content] : parts) replace_file(half / part, content, FileKind::toml);
    fs::rename(half, whole);
  } catch (const std::exception&) {
    fs::remove_all(half, failed);
    throw Error(Error::Code::unwritable, "cannot write the face", whole.string(), "nothing was unpacked");
  }
  return whole / kFaceName;
}

}  // namespace idlemeter
