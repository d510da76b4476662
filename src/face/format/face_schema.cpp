// The JSON Schema of face files, out of their keys.
#include <algorithm>
#include <nlohmann/json.hpp>

#include "idlemeter/base/limits.hpp"
#include "idlemeter/face/file_keys.hpp"

namespace idlemeter {
namespace {

using Json = nlohmann::ordered_json;

Json reference(const std::string& name) { return {{"$ref", "#/$defs/" + name}}; }

void put_range(Json& schema, const FileKey& key) {
  const auto put = [&](const char* name, double value) {
    if (value == static_cast<double>(static_cast<int>(value)))
      schema[name] = static_cast<int>(value);
    else
      schema[name] = value;
  };
  if (key.least > -kAnyNumber) put("minimum", key.least);
  if (key.most < kAnyNumber) put("maximum", key.most);
}

Json array_of(const FileKey& key, const char* type) {
  Json items = {{"type", type}};
  put_range(items, key);
  return {{"type", "array"}, {"items", std::move(items)}};
}

Json type_of(const FileKey& key) {
  switch (key.type) {
    case KeyType::flag:
      return {{"type", "boolean"}};
    case KeyType::number:
    case KeyType::whole: {
      Json schema = {{"type", key.type == KeyType::whole ? "integer" : "number"}};
      put_range(schema, key);
      return schema;
    }
    case KeyType::color:
      if (key.choices.empty()) return reference("color");
      return {{"anyOf", {{{"const", key.choices.front()}}, reference("color")}}};
    case KeyType::choice:
      return {{"enum", key.choices}};
    case KeyType::span:
      return reference("span");
    case KeyType::pair: {
      Json schema = array_of(key, key.name == "grid" ? "integer" : "number");
      schema["minItems"] = schema["maxItems"] = 2;
      return schema;
    }
    case KeyType::numbers: {
      Json schema = array_of(key, "number");
      schema["maxItems"] = limits::kGuides;
      return schema;
    }
    default:
      return {{"type", "string"}};
  }
}

Json schema_of(const FileKey& key) {
  Json schema = type_of(key);
  if (schema.contains("$ref")) return schema;  // draft 7: nothing else counts beside it
  std::string words(key.words);
  std::erase(words, '`');
  if (!words.empty()) schema["description"] = words;
  if (!key.usual.empty()) schema["default"] = Json::parse(key.usual);
  return schema;
}

Json properties_of(std::string_view table) {
  Json properties = Json::object();
  for (const FileKey& key : face_keys()) {
    if (key.table == table) properties[std::string(key.name)] = schema_of(key);
  }
  return properties;
}

Json object(std::string_view table, const char* words) {
  Json schema = {{"type", "object"}};
  if (*words != '\0') schema["description"] = words;
  schema["additionalProperties"] = false;
  schema["properties"] = properties_of(table);
  return schema;
}

Json array(const char* of) { return {{"type", "array"}, {"items", reference(of)}}; }

Json required(std::initializer_list<const char*> keys) { return {{"required", keys}}; }

/// What only some ways to show a reading have: keys with the same ways together.
Json ways() {
  Json rules = Json::array();
  std::vector<std::vector<std::string_view>> done;
  for (const FileKey& first : face_keys()) {
    if (first.ways.empty() || std::find(done.begin(), done.end(), first.ways) != done.end()) continue;
    done.push_back(first.ways);
    Json rule = {{"if", {{"properties", {{"as", {{"enum", first.ways}}}}}, {"required", {"as"}}}}};
    for (const FileKey& key : face_keys()) {
      if (key.ways != first.ways) continue;
      rule["else"]["properties"][std::string(key.name)] = false;
      if (key.name == "sheet") rule["then"] = required({"sheet"});
    }
    rules.push_back(std::move(rule));
  }
  return {{"description", "what only some ways to show a reading have"}, {"allOf", std::move(rules)}};
}

Json pin() {
  Json schema = object("cell", "a thing at an exact place");
  schema["properties"].update(properties_of("pin"));
  auto& as = schema["properties"]["as"]["enum"];
  as.erase(std::find(as.begin(), as.end(), "text+trace"));  // a pin shows one thing
  schema["required"] = {"at"};
  schema["oneOf"] = {required({"text"}), required({"reading"}), required({"box"}), required({"picture"})};
  schema["if"] = required({"picture"});
  schema["then"] = required({"width", "height"});
  schema["allOf"] = Json::array({{{"if", required({"reading"})}, {"then", reference("ways")}}});
  return schema;
}

Json definitions() {
  Json cell = object("cell", "shows one reading");
  cell["required"] = {"reading"};
  cell["allOf"] = Json::array({reference("ways")});
  Json row = object("row", "readings side by side");
  row["properties"]["back"] = reference("back");
  row["properties"]["cells"] = array("cell");
  return {{"color",
           {{"type", "string"},
            {"pattern", "^#([0-9a-fA-F]{6}|[0-9a-fA-F]{8})$"},
            {"description", "\"#rrggbb\" or \"#rrggbbaa\""}}},
          {"span",
           {{"description", "what the statistics of frames cover"},
            {"anyOf",
             {{{"enum", {"recording", "cleared"}}}, {{"type", "string"}, {"pattern", "^[0-9]+(\\.[0-9]+)? ?s$"}}}}}},
          {"back", object("back", "a box behind something")},
          {"cell", std::move(cell)},
          {"row", std::move(row)},
          {"pin", pin()},
          {"ways", ways()}};
}

}  // namespace

std::string face_schema() {
  Json schema = {{"$schema", "http://json-schema.org/draft-07/schema#"}, {"title", "Idle Meter face"}};
  schema.update(object("", "The definition of an overlay. Lengths are in 1/1080 of the picture's height."));
  Json& properties = schema["properties"];
  properties["place"] = object("place", "where the rows are");
  properties["text"] = object("text", "how texts look");
  properties["back"] = reference("back");
  properties["colors"] = object("colors", "colours of kinds of devices, instead of the palette's");
  properties["row"] = array("row");
  properties["pin"] = array("pin");
  schema["anyOf"] = {required({"row"}), required({"pin"})};
  schema["$defs"] = definitions();
  return schema.dump(2) + "\n";
}

}  // namespace idlemeter
