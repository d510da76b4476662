// Formulas over readings.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace idlemeter::readings {

/// A formula in muParser's syntax whose variables are ids of readings. One thread at a time.
class Formula {
 public:
  /// Throws Error if the formula can't be read.
  explicit Formula(const std::string& text);
  Formula(Formula&&) noexcept;
  ~Formula();

  /// The ids that the formula names, each once.
  [[nodiscard]] const std::vector<std::string>& ids() const;

  /// The value for as many numbers as there are ids; empty if it is undefined (a division by zero).
  [[nodiscard]] std::optional<double> value(const std::vector<double>& numbers) const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter::readings
