// The documentation says what the table says.
#include "api/description.h"

#include <cstdlib>
#include <fstream>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>
#include <sstream>

#include "api/operation.h"
#include "api/typescript.h"

namespace vantro::api {
namespace {

constexpr const char* kBegins =
    "<!-- made from the table of operations: scripts/api-docs -->\n";

std::string text_of(const std::string& file) {
  std::ifstream in(VANTRO_SOURCE_DIR "/" + file);
  std::ostringstream page;
  page << in.rdbuf();
  return page.str();
}

TEST(Description, IsWhatTheConsoleIsTypedBy) {
  EXPECT_EQ(text_of("console/src/api/operations.ts"), typescript())
      << "the console's types are not what the table of operations says; "
         "scripts/api-docs writes them again";
}

TEST(Description, IsWhatTheDocumentationHas) {
  const auto text = text_of("docs/api.md");
  const auto begins = text.find(kBegins);
  ASSERT_NE(begins, std::string::npos);
  const auto found = text.substr(begins + std::string_view(kBegins).size());
  EXPECT_EQ(found, "\n" + reference())
      << "docs/api.md is not what the table of operations says; scripts/api-docs writes "
         "it anew";
}

TEST(Description, HasEveryOperationAndResolvesEveryReference) {
  const auto document = nlohmann::json::parse(openapi("1.2.3"));
  EXPECT_EQ(document["openapi"], "3.1.0");
  EXPECT_EQ(document["info"]["version"], "1.2.3");
  std::size_t count = 0;
  for (const auto& [path, methods] : document["paths"].items()) count += methods.size();
  EXPECT_EQ(count, operations().size());
  std::size_t references = 0;
  const auto walk = [&](const auto& self, const nlohmann::json& value) -> void {
    if (value.is_object() && value.contains("$ref")) {
      ++references;
      const auto target = value["$ref"].get<std::string>();
      EXPECT_TRUE(document.contains(nlohmann::json::json_pointer(target.substr(1))))
          << target;
    }
    if (value.is_structured()) {
      for (const auto& one : value) self(self, one);
    }
  };
  walk(walk, document);
  EXPECT_GT(references, 100u);
}

}  // namespace
}  // namespace vantro::api
