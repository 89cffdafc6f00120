WITH "lane" AS (
  SELECT
    *
  FROM "takings"
), "summary" AS (
  SELECT
    "route",
    SUM(CAST("amount" AS DECIMAL)) AS "sum of amount",
    MIN("~row") AS "~first"
  FROM "lane"
  GROUP BY
    "route"
)
SELECT
  "route" AS "route",
  "sum of amount" AS "sum of amount"
FROM "summary"
