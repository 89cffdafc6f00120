WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `fill` AS (
  SELECT
    `route`,
    `day`,
    CASE
      WHEN `amount` IS NULL AND (
        NOT FALSE OR FALSE
      )
      THEN FIRST_VALUE(`amount`) OVER (PARTITION BY `~run 0` ORDER BY `~row` ASC NULLS LAST)
      ELSE `amount`
    END AS `amount`,
    `~row`
  FROM (
    SELECT
      *,
      COUNT(`amount`) OVER (ORDER BY `~row` ASC NULLS LAST) AS `~run 0`
    FROM `lane`
  ) AS `w`
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`
FROM `fill`
