WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `formula` AS (
  SELECT
    `day`,
    `route` AS `where`,
    `amount` AS `much`,
    CAST('a' AS STRING) AS `of`,
    `~row`
  FROM `lane`
), `formula 2` AS (
  SELECT
    `day`,
    `amount` AS `much`,
    CAST('b' AS STRING) AS `of`,
    CAST(CAST(NULL AS STRING) AS STRING) AS `where`,
    `~row`
  FROM `lane`
), `stack` AS (
  SELECT
    `day`,
    `of`,
    `where`,
    `much`,
    0 AS `~part`,
    `~row`
  FROM `formula`
  UNION ALL
  SELECT
    `day`,
    `of`,
    `where`,
    `much`,
    1 AS `~part`,
    `~row`
  FROM `formula 2`
), `filter` AS (
  SELECT
    *
  FROM `stack`
  WHERE
    NOT `where` IS NULL OR NOT `much` IS NULL
)
SELECT
  `day` AS `day`,
  `of` AS `of`,
  `where` AS `where`,
  `much` AS `much`
FROM `filter`
