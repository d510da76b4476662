#include "idlemeter/base/error.hpp"

#include "base/enum_names.hpp"

namespace idlemeter {
namespace {

constexpr base::Word<Error::Code> kCodes[] = {
    {"misuse", Error::Code::misuse}, {"invalid", Error::Code::invalid},       {"not found", Error::Code::not_found},
    {"exists", Error::Code::exists}, {"unreadable", Error::Code::unreadable}, {"unwritable", Error::Code::unwritable},
    {"in use", Error::Code::in_use}, {"damaged", Error::Code::damaged},       {"newer", Error::Code::newer},
    {"moved", Error::Code::moved},   {"refused", Error::Code::refused},       {"unavailable", Error::Code::unavailable},
    {"failed", Error::Code::failed}};

}  // namespace

std::string_view name_of(Error::Code code) { return base::word_of(code, kCodes); }

std::optional<Error::Code> error_code_from(std::string_view name) { return base::value_of(name, kCodes); }

}  // namespace idlemeter
