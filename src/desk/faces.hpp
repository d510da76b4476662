// Faces: listed, drawn, changed step by step.
#pragma once

#include <cstdint>
#include <deque>
#include <filesystem>
#include <functional>
#include <mutex>
#include <string>

#include "desk/readings.hpp"
#include "desk/wire.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/face/face_editor.hpp"

namespace idlemeter::desk {

/// Any thread: one at a time is served. Everything throws Error.
class Faces {
 public:
  Faces(std::filesystem::path folder, std::filesystem::path settings, Readings& readings)
      : folder_(std::move(folder)), settings_(std::move(settings)), readings_(readings) {}

  /// The user's own and the starters, and which games they are for.
  [[nodiscard]] Json list() const;

  /// Whether the user has a face of their own.
  [[nodiscard]] bool has_own() const;

  /// What a page needs to begin with: the list, and a face ("": the usual one) with its scene; null for what can't be.
  [[nodiscard]] Json first_view(const std::string& name, int width, int height);

  /// The most recent scene() of the face's current text, or a new one.
  [[nodiscard]] Json last_scene(const std::string& name, int width, int height);

  /// A face: its parts, the keys of its file, findings, and the version of its text.
  [[nodiscard]] Json show(const std::string& name);

  /// Where its parts are in a picture of that size, and the picture of its overlay: see picture().
  [[nodiscard]] Json scene(const std::string& name, int width, int height);

  /// One that scene() drew, as a PNG. Throws Error (not_found) if it is too old.
  [[nodiscard]] std::string picture(std::uint64_t number);

  /// Makes the changes of a question, all or none, if the face is in the version that it names; see show().
  [[nodiscard]] Json edit(const Json& question);
  [[nodiscard]] Json step_back(const std::string& name);
  [[nodiscard]] Json step_forward(const std::string& name);

  /// A new face from another or a starter.
  [[nodiscard]] Json make(const std::string& from, const std::string& name);
  /// From now on games get it: those that fit the program, or all without a rule.
  [[nodiscard]] Json choose(const std::string& name, const std::string& program);

  /// A face with its pictures in one file, and back.
  [[nodiscard]] std::string pack(const std::string& name);
  [[nodiscard]] Json unpack(const std::string& name, const std::string& bundle);

 private:
  struct Picture {
    std::uint64_t number;
    std::string png;
    std::string subject;  ///< face, size and version
    Json scene;
  };

  [[nodiscard]] std::filesystem::path own_file(const std::string& name) const;
  [[nodiscard]] std::string text_of(const std::string& name) const;
  [[nodiscard]] Json described(const std::string& name);
  [[nodiscard]] std::string usual() const;

  std::filesystem::path folder_, settings_;
  Readings& readings_;
  std::mutex mutex_;
  Painter painter_;
  std::deque<Picture> pictures_;
  std::uint64_t last_ = 0;
};

}  // namespace idlemeter::desk
