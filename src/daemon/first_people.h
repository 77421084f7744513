// Makes people of the token files of earlier versions.
#pragma once

#include "base/outcome.h"
#include "repository/repository.h"

namespace vantro::daemon {

// Only while there was never any person: the holder of the state folder's file 'token'
// becomes the person 'operator', and of 'secrets-token' the person 'secrets'; both with
// that token. The files stay, without a meaning. kCorrupt: one holds something else.
base::Outcome<void> people_of_token_files(repository::Repository& repository);

}  // namespace vantro::daemon
