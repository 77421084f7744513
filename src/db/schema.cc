#include "db/schema.h"

namespace vantro::db {

const std::vector<SchemaVersion>& schema_versions() {
  // Every number is declared bigint: SOCI hands "integer" out as 32 bits.
  // Times are milliseconds since 1970 in UTC; digests are lower-case hexadecimal.
  static const std::vector<SchemaVersion> versions{
      {"images, offers, backups, ledger",
       {
           R"(create table images (
                id bigint primary key,
                name text not null unique,
                size bigint not null,
                md5 text not null, sha1 text not null,
                sha256 text not null, sha512 text not null,
                taken_in_at bigint not null,
                taken_in_by text not null))",
           "create index images_by_content on images (sha256)",
           R"(create table offers (
                name text primary key,
                image bigint not null references images (id),
                since bigint not null))",
           // A partial revision has no digests, and the name of its file in partial/.
           R"(create table revisions (
                id bigint primary key,
                address text not null,
                name text not null,
                number bigint not null,
                complete bigint not null,
                size bigint not null,
                announced bigint,
                md5 text, sha1 text, sha256 text, sha512 text,
                partial_file text,
                arrived_at bigint not null,
                protocol text not null,
                why text not null,
                unique (address, name, number)))",
           "create index revisions_by_content on revisions (sha256)",
           R"(create table ledger (
                id bigint primary key,
                at bigint not null,
                event text not null,
                actor text not null,
                protocol text not null,
                name text not null,
                sha256 text,
                bytes bigint not null,
                total bigint,
                duration_ms bigint not null,
                resent bigint not null,
                outcome text not null,
                sentence text not null))",
           "create index ledger_by_time on ledger (at, id)",
       }},
      {"contacts: where a request was heard, and an actor's rows in order",
       {
           "alter table ledger add column heard_on text not null default ''",
           "create index ledger_by_actor on ledger (actor, at, id)",
           "create index ledger_by_content on ledger (sha256, at)",
       }},
  };
  return versions;
}

}  // namespace vantro::db
