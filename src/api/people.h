// The shapes of the people who manage the server, their tokens and log-ins (see
// shapes.h).
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "api/shapes.h"

namespace vantro::api {

struct Person {
  std::string name;
  std::string role;
  std::string rights;
  std::string known_by;
  bool password = false;
  std::size_t tokens = 0;
  std::optional<std::string> until;
  bool on = true;
  std::string remarks;
  std::optional<std::string> made_at;
  std::optional<std::string> last_seen_at;
  std::string last_seen_from;
};

struct PersonList {
  std::vector<Person> people;
};

struct PersonFields {
  std::optional<std::string> name;
  std::optional<std::string> role;
  std::optional<std::string> rights;
  std::optional<std::string> password;
  std::optional<std::string> until;
  std::optional<bool> on;
  std::optional<std::string> remarks;
};

struct PersonRemoved {
  std::string removed;
};

struct TokenInfo {
  std::string person;
  std::string label;
  std::string state;
  std::string made_at;
  std::optional<std::string> until;
  std::optional<std::string> last_used_at;
  std::string last_used_from;
};

struct TokenList {
  std::vector<TokenInfo> tokens;
};

struct TokenWanted {
  std::string label;
  std::optional<std::string> until;
};

struct TokenMade {
  TokenInfo token;
  std::string text;
};

struct TokenAsked {
  std::string name, label;
};

struct TokenRenewal {
  std::optional<std::string> until;
  bool replace = false;
};

struct LogIn {
  std::string name;
  std::string password;
  std::string token;
  bool cookie = false;
};

struct LoggedIn {
  Me me;
  std::string token;
};

struct PasswordGiven {
  std::string password;
};

VANTRO_SHAPE(Person)
VANTRO_SHAPE(PersonList)
VANTRO_SHAPE(PersonFields)
VANTRO_SHAPE(PersonRemoved)
VANTRO_SHAPE(TokenInfo)
VANTRO_SHAPE(TokenList)
VANTRO_SHAPE(TokenWanted)
VANTRO_SHAPE(TokenMade)
VANTRO_SHAPE(TokenAsked)
VANTRO_SHAPE(TokenRenewal)
VANTRO_SHAPE(LogIn)
VANTRO_SHAPE(LoggedIn)
VANTRO_SHAPE(PasswordGiven)

}  // namespace vantro::api
