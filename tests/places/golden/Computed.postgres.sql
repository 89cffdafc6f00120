WITH "lane" AS (
  SELECT
    *
  FROM "takings"
), "formula" AS (
  SELECT
    "route",
    "day",
    "amount",
    (
      SELECT
        CASE
          WHEN "w"."n" BETWEEN -9223372036854775808 AND 9223372036854775807
          THEN CAST("w"."n" AS BIGINT)
        END
      FROM (
        SELECT
          CAST("amount" AS DECIMAL) * CAST('2' AS BIGINT) AS "n"
        OFFSET 0
      ) AS "w"
    ) AS "twice",
    "~row"
  FROM "lane"
)
SELECT
  "route" AS "route",
  "day" AS "day",
  "amount" AS "amount",
  "twice" AS "twice"
FROM "formula"
