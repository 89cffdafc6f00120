WITH "lane" AS (
  SELECT
    *
  FROM "takings"
), "filter" AS (
  SELECT
    *
  FROM "lane"
  WHERE
    "amount" > CAST('10' AS BIGINT)
)
SELECT
  "route" AS "route",
  "day" AS "day",
  "amount" AS "amount"
FROM "filter"
