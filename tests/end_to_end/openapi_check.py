#!/usr/bin/env python3
"""Holds the description of the management API against what others say it should be.

  openapi_check.py URL TOKEN

The document as a whole goes against the specification's own schema; that is of 3.0, which
differs from 3.1 in what a schema may be. So each schema goes against JSON Schema 2020-12,
as 3.1 has it, and what the server answers goes against the schemas.
"""
import copy
import json
import sys
import urllib.parse
import urllib.request

import jsonschema

SPECIFICATION = "/usr/share/openapi-specification/schemas/v3.0/schema.json"
url, token = sys.argv[1:]


def get(target):
    request = urllib.request.Request(url + target, headers={"Authorization": "Bearer " + token})
    with urllib.request.urlopen(request) as answer:
        return json.load(answer)


document = get("/v1/openapi.json")
schemas = document["components"]["schemas"]
for name, schema in schemas.items():
    jsonschema.Draft202012Validator.check_schema(schema)


def plain(value):
    """The same without what only 3.1 has: types that may be null."""
    if isinstance(value, dict):
        value = {key: plain(one) for key, one in value.items()}
        if isinstance(value.get("type"), list):
            value["type"] = next(one for one in value["type"] if one != "null")
        if "anyOf" in value:
            value["anyOf"] = [one for one in value["anyOf"] if one != {"type": "null"}]
        return value
    return [plain(one) for one in value] if isinstance(value, list) else value


older = plain(copy.deepcopy(document))
older["openapi"] = "3.0.3"
with open(SPECIFICATION) as file:
    jsonschema.validate(older, json.load(file))

# Every answer that nothing has to be asked for.
checked = 0
for path, methods in document["paths"].items():
    operation = methods.get("get", {})
    content = operation.get("responses", {}).get("200", {}).get("content", {})
    schema = content.get("application/json", {}).get("schema", {})
    asked = [one for one in operation.get("parameters", []) if one["required"]]
    if "$ref" not in schema or asked:
        continue
    jsonschema.validate(get(path), {"$ref": schema["$ref"], "components": {"schemas": schemas}})
    checked += 1
for target, name in (("/v1/images/" + urllib.parse.quote(sys.stdin.readline().strip(), ""),
                      "ImageDetail"),):
    jsonschema.validate(get(target), {"$ref": "#/components/schemas/" + name,
                                      "components": {"schemas": schemas}})
    checked += 1
print(len(document["paths"]), "paths,", len(schemas), "schemas,", checked, "answers: sound")
