WITH "lane" AS (
  SELECT
    *
  FROM "takings"
), "lane 2" AS (
  SELECT
    *
  FROM "routes"
), "join" AS (
  SELECT
    CASE WHEN "l"."~here" IS NULL THEN "r"."code" ELSE "l"."route" END AS "route",
    "l"."day",
    "l"."amount",
    "r"."zone",
    "l"."~here" IS NULL AS "~gap 1",
    "r"."~here" IS NULL AS "~gap 2",
    "l"."~row" AS "~l 0",
    "r"."~row" AS "~r 0"
  FROM (
    SELECT
      *,
      TRUE AS "~here"
    FROM "lane"
  ) AS "l"
  FULL JOIN (
    SELECT
      *,
      TRUE AS "~here"
    FROM "lane 2"
  ) AS "r"
    ON "l"."route" = "r"."code"
)
SELECT
  "route" AS "route",
  "day" AS "day",
  "amount" AS "amount",
  "zone" AS "zone"
FROM "join"
