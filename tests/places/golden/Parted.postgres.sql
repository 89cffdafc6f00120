WITH "lane" AS (
  SELECT
    *
  FROM "takings"
), "split" AS (
  SELECT
    "day",
    "amount",
    NULLIF("~text 1", '') AS "route",
    "~row",
    "~nth 2"
  FROM (
    SELECT
      "r".*,
      CASE WHEN NOT "r"."route" IS NULL THEN COALESCE("p"."one", '') END AS "~text 1",
      "p"."~nth 2"
    FROM "lane" AS "r"
    LEFT JOIN LATERAL UNNEST(STRING_TO_ARRAY("r"."route", '-')) WITH ORDINALITY AS "p"("one", "~nth 2")
      ON TRUE
  ) AS "w"
)
SELECT
  "route" AS "route",
  "day" AS "day",
  "amount" AS "amount"
FROM "split"
