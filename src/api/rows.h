// An answer that is a list, row by row, for programs that read tables.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "api/shape.h"

namespace vantro::api {

struct Rows {
  struct Row {
    std::string json;  // the whole object, in one line
    std::vector<std::string>
        values;  // one for each name, in their order; empty for a missing value
  };
  // Fields with one value or with a list of texts, those of objects in the row among
  // them; where two would have one name, the inner one has its object's in front.
  std::vector<std::string> names;
  std::vector<Row> rows;
};

// The first list of objects in a shape; null: it has none.
const Field* list_in(const Shape& shape);

// `json`: an answer of that shape. Times and sizes are as the API gives them; the texts
// of a list are separated by spaces. REQUIRES: list_in(shape).
Rows rows_of(std::string_view json, const Shape& shape);

}  // namespace vantro::api
