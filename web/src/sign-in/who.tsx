import { Field } from "@/sign-in/door";
import { Button } from "@/ui/button";

interface Props {
  /** Whom the page belongs to, where that is known; the password is asked for at once then. */
  name?: string;
  trouble: string;
}

/** Who signs in: name, password, what was wrong with them. */
export function Who({ name = "", trouble }: Props) {
  return (
    <>
      <Field name="name" label="Name" autoComplete="username" defaultValue={name} key={name} />
      <Field
        name="password"
        label="Password"
        type="password"
        autoComplete="current-password"
        autoFocus={name !== ""}
      />
      {trouble && (
        <p role="alert" className="text-alarm">
          {trouble}
        </p>
      )}
      <Button kind="main" type="submit">
        Sign in
      </Button>
    </>
  );
}
